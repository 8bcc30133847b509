import { describe, expect, it } from 'vitest';
import { testCrystal } from '../../../demo/src/test-crystals.ts';
import { bonds, connectedUnit, assembleAsymmetricUnit, fragments } from '../geometry/bonds.ts';
import { IDENTITY } from '../crystal/operator.ts';
import { metricTensor } from '../crystal/cell.ts';
import { operatorsNear } from '../crystal/neighbours.ts';
import { allOperators, groupOrder } from '../crystal/space-group.ts';
import { norm } from '../math/matrix3.ts';
import { decodeWire, encodeWire } from '../tasks/wire.ts';
import { structureSchema } from '../tasks/schemas.ts';
import { buildScene, placedSites, probabilityRadius } from './scene.ts';
import { bestView, paintSvg } from './svg.ts';
import { elementColour } from './palette.ts';

const { structure: s } = testCrystal('CC(O)c1ccccc1Cl', 'P 1 21/c 1', 4);
const view = {
  extent: 'unit' as const,
  style: 'ellipsoids' as const,
  probability: 0.5,
  showHydrogen: true,
  showCell: true,
};

describe('the scene', () => {
  it('holds the unit, its bonds and the cell edges', () => {
    const scene = buildScene(s, view);
    expect(scene.atoms).toHaveLength(s.sites.length);
    expect(scene.bonds).toHaveLength(
      bonds(s).filter((b) => b.operator.t.every((t) => t === 0) && b.operator.r[0] === 1 && b.operator.r[4] === 1)
        .length / 2,
    );
    expect(scene.lines).toHaveLength(12);
    expect(scene.lines.filter((l) => l.kind === 'b')).toHaveLength(1);
    expect(buildScene(s, { ...view, showHydrogen: false }).atoms).toHaveLength(
      s.sites.filter((x) => x.element !== 'H').length,
    );
  });

  it('holds all of the cell, none twice', () => {
    const places = placedSites(s, 'cell');
    expect(places).toHaveLength(s.sites.length * groupOrder(s.spaceGroup));
    const salt = {
      cell: { a: 5.64, b: 5.64, c: 5.64, alpha: 90, beta: 90, gamma: 90 },
      spaceGroup: testCrystal('CO', 'P 1', 1).structure.spaceGroup,
      sites: [
        {
          id: '1',
          label: 'Na',
          element: 'Na',
          position: [0, 0, 0] as const,
          occupancy: 1,
          displacement: { kind: 'iso' as const, u: 0.02 },
        },
      ],
    };
    expect(placedSites(salt, 'cell')).toHaveLength(8);
  });

  it('draws ellipsoids of the probability asked for', () => {
    // Half of a three-dimensional normal distribution lies within 1.5382 σ (Johnson 1965).
    expect(probabilityRadius(0.5)).toBeCloseTo(1.5382, 4);
    expect(probabilityRadius(0.9)).toBeCloseTo(2.5003, 3);
    const sphere = { ...s, sites: [{ ...s.sites[0]!, displacement: { kind: 'iso' as const, u: 0.04 } }] };
    expect(norm(buildScene(sphere, view).atoms[0]!.axes[0])).toBeCloseTo(1.5382 * 0.2, 4);
    const impossible = {
      ...s,
      sites: [{ ...s.sites[0]!, displacement: { kind: 'aniso' as const, u: [0.03, -0.02, 0.03, 0, 0, 0] as const } }],
    };
    expect(buildScene(impossible, view).atoms[0]!.impossible).toBe(true);
  });

  it('is painted as SVG', () => {
    const svg = paintSvg(buildScene(s, { ...view, style: 'balls' }), 96, 72);
    expect(svg.match(/<circle/g)).toHaveLength(s.sites.length);
    expect(svg).toContain(elementColour('Cl'));
    const v = bestView(buildScene(s, view));
    expect(v[0] * v[3] + v[1] * v[4] + v[2] * v[5]).toBeCloseTo(0, 10);
  });
});

describe('connected units', () => {
  it('are found and put back together near the middle of the cell', () => {
    const operators = allOperators(s.spaceGroup),
      g = metricTensor(s.cell);
    // The molecule is torn apart by moving every other site to a copy.
    const torn = {
      ...s,
      sites: s.sites.map((x, i) =>
        i % 2 ? { ...x, position: operatorsNear([operators[1]!], g, x.position, [0.1, 0.1, 0.1]).moved } : x,
      ),
    };
    const whole = assembleAsymmetricUnit(torn);
    expect(fragments(whole)).toHaveLength(1);
    const scene = buildScene(whole, { ...view, style: 'balls' });
    expect(scene.bonds.length).toBe(buildScene(s, { ...view, style: 'balls' }).bonds.length);
    const centre = [0, 1, 2].map((k) => whole.sites.reduce((t, x) => t + x.position[k]!, 0) / whole.sites.length);
    centre.forEach((c) => expect(Math.abs(c - 0.5)).toBeLessThan(0.51));
    expect(connectedUnit(s, bonds(s), { site: 0, operator: IDENTITY })).toHaveLength(s.sites.length);
  });
});

it('the wire keeps typed arrays, NaN and the shape of a structure', () => {
  const value = {
    a: Float64Array.of(1, NaN, Infinity),
    b: Int16Array.of(-3, 4),
    c: NaN,
    d: [1, { e: Uint16Array.of(7) }],
  };
  const back = decodeWire(encodeWire(value)) as typeof value;
  expect(back).toEqual(value);
  expect(back.a).toBeInstanceOf(Float64Array);
  expect(structureSchema.safeParse(decodeWire(encodeWire(s))).success).toBe(true);
  expect(structureSchema.safeParse({ cell: 1 }).success).toBe(false);
});
