/** `geometry` and `cell` of the terminal: bonds, angles, rings and what lies between them; what one cell holds. */
import { originalRef, siteOf, symmetryCode, type AtomRef } from '@nagare/core/crystal/atom-ref';
import { cellVolume, metricTensor } from '@nagare/core/crystal/cell';
import { formulaText, formulaWeight, scaleFormula, type Formula } from '@nagare/core/crystal/formula';
import { crystalClass } from '@nagare/core/crystal/point-group';
import { operatorStrings, siteSymmetry } from '@nagare/core/crystal/space-group';
import { cellContents, type Structure } from '@nagare/core/crystal/structure';
import { formatMeasured, type Measured } from '@nagare/core/crystal/uncertainty';
import type { Recognised } from '@nagare/core/formats/recognise';
import { bonded } from '@nagare/core/geometry/bonding-proposal';
import { bondAngles, listedBonds, neighbourRef } from '@nagare/core/geometry/bonds';
import { formulaUnit, type FormulaUnit } from '@nagare/core/geometry/formula-unit';
import { angle, distance } from '@nagare/core/geometry/figures';
import { measure } from '@nagare/core/geometry/measure';
import { readRing, ringRelations } from '@nagare/core/geometry/ring-readings';
import { findRings } from '@nagare/core/geometry/rings';
import { wyckoffLetters } from '@nagare/core/symmetry/wyckoff';
import { rounded, type Answer } from './answers.ts';

const labelOf = (s: Structure, a: AtomRef): string => siteOf(s, a)!.label;

function bondRows(s: Structure) {
  return listedBonds(s).map((b) => {
    const { value, su } = measure(s, [originalRef(s.sites[b.from]!.id), neighbourRef(s, b)], distance);
    return {
      a: s.sites[b.from]!.label,
      b: s.sites[b.to]!.label,
      symmetryA: '.',
      symmetryB: symmetryCode(b),
      distance: rounded(value, 6),
      su: rounded(su, 6),
    };
  });
}

function angleRows(s: Structure) {
  return bondAngles(s).map(({ centre, ends: [p, q], atoms }) => {
    const { value, su } = measure(s, atoms, angle);
    return {
      a: s.sites[p.to]!.label,
      b: s.sites[centre]!.label,
      c: s.sites[q.to]!.label,
      symmetryA: symmetryCode(p),
      symmetryC: symmetryCode(q),
      value: rounded(value, 4),
      su: rounded(su, 4),
    };
  });
}

function ringRows(s: Structure, reach: number) {
  const found = findRings(s);
  const rings = found.map((ring) => {
    const r = readRing(s, ring);
    const p = r.puckering;
    return {
      atoms: r.atoms.map((a) => labelOf(s, a)),
      symmetry: r.atoms.map(symmetryCode),
      members: r.members,
      rms: rounded(r.rms, 6),
      deviations: r.deviations.map((d) => ({ value: rounded(d.value, 6), su: rounded(d.su, 6) })),
      centroid: r.centroid.map((x) => rounded(x, 6)),
      normal: r.normal.map((x) => rounded(x, 6)),
      puckering: p
        ? {
            q: rounded(p.q, 6),
            phi: p.phi === undefined ? null : rounded(p.phi, 3),
            theta: p.theta === undefined ? null : rounded(p.theta, 3),
            form: p.form,
          }
        : null,
    };
  });
  const relations = ringRelations(s, found, reach).map((r) => ({
    ring1: r.first,
    ring2: r.second,
    symmetry: symmetryCode(r.placement),
    angle: rounded(r.angle.value, 4),
    angleSu: rounded(r.angle.su, 4),
    centroidDistance: rounded(r.centroidDistance.value, 6),
    centroidDistanceSu: rounded(r.centroidDistance.su, 6),
    perpendicular1: rounded(r.perpendicular1.value, 6),
    perpendicular2: rounded(r.perpendicular2.value, 6),
    offset: rounded(r.offset, 6),
    kind: r.kind,
  }));
  return { rings, relations };
}

const figure = (m: Measured, digits: number): string => formatMeasured(m.value, m.su, digits);

/** Bonds and angles, and where they are asked for rings with the relations of those within `reach` Å. */
export function geometryAnswer(model: Recognised, withRings: boolean, reach: number): Answer {
  const s = bonded(model.structure!);
  const list = bondRows(s);
  const json = { operators: operatorStrings(s.spaceGroup), bonds: list, angles: angleRows(s) };
  const lines = list.map(
    (b) =>
      `${b.a}–${b.b}${b.symmetryB === '.' ? '' : ` (${b.symmetryB})`}  ${figure({ value: b.distance, su: b.su }, 3)} Å`,
  );
  if (!withRings) return { json, text: lines.join('\n') || 'No atoms are bonded.' };
  const { rings, relations } = ringRows(s, reach);
  const ringLines = rings.map(
    (r, i) =>
      `ring ${i + 1}: ${r.members}, ${r.atoms.join(' ')}, r.m.s. ${r.rms.toFixed(3)} Å, ${r.puckering?.form ?? 'flat'}`,
  );
  const relationLines = relations.map((r) => {
    const copy = r.symmetry === '.' ? '' : ` (${r.symmetry})`,
      apart = figure({ value: r.centroidDistance, su: r.centroidDistanceSu }, 3),
      tilted = figure({ value: r.angle, su: r.angleSu }, 1);
    return `ring ${r.ring1 + 1} and ring ${r.ring2 + 1}${copy}: ${r.kind}, ${tilted}°, centroids ${apart} Å apart`;
  });
  return {
    json: { ...json, rings, relations },
    text: [...lines, ...(rings.length ? ringLines : ['No rings.']), ...relationLines].join('\n'),
  };
}

/** The file's own formula and Z where they are what the cell holds, else what the model says. */
function unitOf(model: Recognised, contents: Formula): FormulaUnit {
  const { formula, z } = model.experiment;
  if (formula && z && Math.abs(formulaWeight(scaleFormula(formula, z)) / formulaWeight(contents) - 1) < 0.02)
    return { formula, z };
  return formulaUnit(model.structure!);
}

/** What one cell holds: atoms by element, formula units, density, and where each site stands. */
export function cellAnswer(model: Recognised): Answer {
  const s = model.structure!;
  const contents = cellContents(s);
  const { formula, z } = unitOf(model, contents);
  const volume = cellVolume(s.cell);
  const density = (formulaWeight(contents) * 1.66053907) / volume;
  const metric = metricTensor(s.cell);
  const letters = wyckoffLetters(s);
  const multiplicities = s.sites.map((x, i) => {
    const { operators, multiplicity } = siteSymmetry(s.spaceGroup, metric, x.position);
    const wyckoff = letters[i] ?? null;
    return { label: x.label, multiplicity, siteSymmetry: crystalClass(operators.map((o) => o.r)), wyckoff };
  });
  const json = {
    formula: formulaText(formula),
    z,
    atoms: Object.fromEntries(Object.entries(contents).map(([e, n]) => [e, rounded(n, 4)])),
    density: rounded(density, 4),
    volume: rounded(volume, 3),
    multiplicities,
  };
  const held = Object.entries(json.atoms).map(([e, n]) => `${n} ${e}`);
  return {
    json,
    text: `${json.formula}, Z = ${z}: ${held.join(', ')} in ${volume.toFixed(1)} Å³, ${density.toFixed(3)} g/cm³.`,
  };
}
