/** How much of a true structure a model has found, whatever origin and hand it chose. For tests only. */
import { metricTensor } from '@nagare/core/crystal/cell';
import { allOperators } from '@nagare/core/crystal/space-group';
import { operatorsNear } from '@nagare/core/crystal/neighbours';
import type { Structure } from '@nagare/core/crystal/structure';
import { toVec3 } from '@nagare/core/math/matrix3';

export interface Comparison {
  /** Fraction of the true non-hydrogen atoms with a model atom within 0.1 Å. */
  found: number;
  /** Of those, the fraction with the right element. */
  elements: number;
  rms: number;
}

/** Tries every origin shift that puts the first model atoms on true ones, in both hands, under the true group's operators. */
export function compareToTruth(model: Structure, truth: Structure, within = 0.1): Comparison {
  const g = metricTensor(truth.cell);
  const operators = allOperators(truth.spaceGroup);
  const heavy = truth.sites.filter((x) => x.element !== 'H');
  const own = model.sites.filter((x) => x.element !== 'H');
  let best: Comparison = { found: 0, elements: 0, rms: Infinity };
  for (const anchor of own.slice(0, 3))
    for (const hand of [1, -1])
      for (const target of heavy)
        for (const o of operators) {
          const a = toVec3(anchor.position.map((x) => hand * x));
          const t = [0, 1, 2].map(
            (i) =>
              o.r[3 * i]! * target.position[0] +
              o.r[3 * i + 1]! * target.position[1] +
              o.r[3 * i + 2]! * target.position[2] +
              o.t[i]!,
          );
          const shift = [0, 1, 2].map((i) => t[i]! - a[i]!);
          let found = 0,
            elements = 0,
            square = 0;
          for (let n = 0; n < heavy.length; n++) {
            if (found + heavy.length - n < best.found * heavy.length) break;
            let nearest = Infinity,
              element = '';
            for (const m of own) {
              const x: [number, number, number] = [
                hand * m.position[0] + shift[0]!,
                hand * m.position[1] + shift[1]!,
                hand * m.position[2] + shift[2]!,
              ];
              const { distance } = operatorsNear(operators, g, x, heavy[n]!.position);
              if (distance < nearest) {
                nearest = distance;
                element = m.element;
              }
            }
            if (nearest < within) {
              found++;
              square += nearest * nearest;
              if (element === heavy[n]!.element) elements++;
            }
          }
          const share = found / heavy.length;
          if (share > best.found || (share === best.found && elements > best.elements * found))
            best = {
              found: found / heavy.length,
              elements: elements / Math.max(1, found),
              rms: Math.sqrt(square / Math.max(1, found)),
            };
          if (best.found === 1 && best.elements === 1) return best;
        }
  return best;
}
