/** `coordination` of the terminal: what surrounds each centre. */
import { siteOf, symmetryCode } from '@nagare/core/crystal/atom-ref';
import { typeSymbol } from '@nagare/core/crystal/charge';
import { formatMeasured } from '@nagare/core/crystal/uncertainty';
import type { Recognised } from '@nagare/core/formats/recognise';
import { Surroundings, type Coordination } from '@nagare/core/geometry/coordination';
import { BadInput, rounded, type Answer } from './answers.ts';

const orNull = (x: number | undefined, digits: number): number | null => (x === undefined ? null : rounded(x, digits));

/** Centres by element or label; every cation, or metal of a molecule, where none is named. */
function chosenCentres(model: Recognised, around: Surroundings, wanted: string | undefined): number[] {
  if (!wanted) return around.centres();
  const chosen = model.structure!.sites.flatMap((x, i) => (x.element === wanted || x.label === wanted ? [i] : []));
  if (!chosen.length) throw new BadInput(`--centre ${wanted} is neither an element nor an atom of this model.`);
  return chosen;
}

export function coordinationAnswer(model: Recognised, wanted?: string): Answer {
  const s = model.structure!;
  const around = new Surroundings(s);
  const centres = chosenCentres(model, around, wanted).map((i) => around.read(i));
  const row = (c: Coordination) => {
    const site = s.sites[c.site]!;
    return {
      label: site.label,
      element: site.element,
      charge: c.charge ?? null,
      coordination: c.neighbours.length,
      effectiveCoordination: rounded(c.effective, 4),
      neighbours: c.neighbours.map((n) => ({
        label: siteOf(s, n.atom)!.label,
        symmetry: symmetryCode(n.atom),
        distance: rounded(n.distance, 6),
        su: rounded(n.su, 6),
        valence: orNull(n.valence, 4),
      })),
      shape: c.shapes[0] ? { name: c.shapes[0].name, measure: rounded(c.shapes[0].measure, 4) } : null,
      shapes: c.shapes.map((x) => ({ name: x.name, measure: rounded(x.measure, 4) })),
      volume: rounded(c.volume, 4),
      distortion: rounded(c.distortion, 6),
      elongation: orNull(c.elongation, 6),
      angleVariance: orNull(c.angleVariance, 4),
      valenceSum: orNull(c.valenceSum, 4),
      radiusRatio: c.radiusRatio
        ? {
            cation: rounded(c.radiusRatio.cation, 4),
            anion: rounded(c.radiusRatio.anion, 4),
            ratio: rounded(c.radiusRatio.ratio, 4),
            predicted: rounded(c.radiusRatio.predicted, 3),
          }
        : null,
    };
  };
  const rows = centres.map(row);
  const lines = centres.map((c, i) => {
    const r = rows[i]!;
    const lengths = c.neighbours.map((n) => formatMeasured(n.distance, n.su, 3)).join(', ');
    const sum = r.valenceSum === null ? '' : `, valence sum ${r.valenceSum.toFixed(2)}`;
    const rule = r.radiusRatio ? `, radii ${r.radiusRatio.ratio.toFixed(3)} (${r.radiusRatio.predicted} expected)` : '';
    const name = `${r.label} (${typeSymbol(r.element, r.charge ?? undefined)})`;
    return `${name}: ${r.coordination}, ${r.shape?.name ?? 'no shape'}, ${lengths} Å${sum}${rule}`;
  });
  const instability = around.globalInstability();
  return {
    json: { centres: rows, globalInstability: orNull(instability, 4) },
    text: lines.join('\n') || 'No cation and no metal stands in this model. Name a centre: --centre C1.',
  };
}
