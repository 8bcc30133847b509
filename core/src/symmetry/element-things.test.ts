import { describe, expect, it } from 'vitest';
import { metricTensor } from '../crystal/cell.ts';
import { originalRef } from '../crystal/atom-ref.ts';
import { applyOperator } from '../crystal/operator.ts';
import { spaceGroupFromSymbol } from '../crystal/settings.ts';
import type { Site, Structure } from '../crystal/structure.ts';
import { cartesianOf } from '../geometry/measure.ts';
import { readThings, type Thing } from '../geometry/things.ts';
import { seededRandom } from '../math/random.ts';
import { norm, subtract, type Vec3 } from '../math/matrix3.ts';
import { allOperators } from '../crystal/neighbours.ts';
import { elementsNear } from './element-things.ts';

const random = seededRandom(42);
const site = (id: string, position: Vec3): Site => ({
  id,
  label: id,
  element: 'C',
  position,
  positionSu: [0.002, 0.003, 0.004],
  occupancy: 1,
  displacement: { kind: 'iso', u: 0.02 },
});
const crystal = (symbol: string, cell: Structure['cell'], count = 3): Structure => ({
  cell,
  spaceGroup: spaceGroupFromSymbol(symbol),
  sites: Array.from({ length: count }, (_, i) =>
    site(`s${i}`, [2 * random.next() - 0.5, random.next(), 3 * random.next() - 1]),
  ),
});
const monoclinic = { a: 7.1, b: 9.3, c: 11.8, alpha: 90, beta: 103.4, gamma: 90 };
const hexagonal = { a: 8.2, b: 8.2, c: 12.1, alpha: 90, beta: 90, gamma: 120 };
const cubic = { a: 9.7, b: 9.7, c: 9.7, alpha: 90, beta: 90, gamma: 90 };
const atom = (n: number): Thing => ({ kind: 'point', atoms: [originalRef(`s${n}`)] });

describe('symmetry elements as things', () => {
  const groups: [string, Structure['cell']][] = [
    ['P 1 21/c 1', monoclinic],
    ['C 1 2/c 1', monoclinic],
    ['R -3 m', hexagonal],
    ['P 61 2 2', hexagonal],
    ['F d -3 m', cubic],
    ['I a -3 d', cubic],
  ];

  it.each(groups)(
    'an atom stands as far from the nearest of them as half of what separates it from its image, %s',
    (symbol, cell) => {
      const s = crystal(symbol, cell);
      const near = elementsNear(s, [originalRef('s0')]);
      expect(near.length).toBeGreaterThan(0);
      // Of plain twofold axes, mirrors and centres an atom and its image stand on either side, half of the way each.
      const images = [...allOperators(s.spaceGroup)].flatMap((o) =>
        [-1, 0, 1].flatMap((i) =>
          [-1, 0, 1].flatMap((j) =>
            [-1, 0, 1].map((k) => {
              const base = s.sites[0]!.position.map((x, axis) =>
                Math.round(x - applyOperator(o, s.sites[0]!.position)[axis]!),
              );
              const t: Vec3 = [o.t[0] + base[0]! + i, o.t[1] + base[1]! + j, o.t[2] + base[2]! + k];
              return applyOperator({ r: o.r, t }, s.sites[0]!.position);
            }),
          ),
        ),
      );
      const g = metricTensor(cell);
      const apart = (p: Vec3): number => {
        const d = subtract(p, s.sites[0]!.position);
        return Math.sqrt(d.reduce((sum, x, i) => sum + x * d.reduce((q, y, j) => q + g[3 * i + j]! * y, 0), 0));
      };
      const halves = images.map((p) => apart(p) / 2);
      const plain = near.filter((x) => /^(mirror|2 rotation|inversion centre)/.test(x.words));
      expect(plain.length).toBeGreaterThan(symbol === 'P 1 21/c 1' ? 1 : 2);
      for (const e of plain) expect(Math.min(...halves.map((h) => Math.abs(h - e.away!)))).toBeLessThan(1e-6);
      expect(near.map((e) => e.away)).toEqual([...near.map((e) => e.away!)].sort((p, q) => p - q));
    },
  );

  it('what is told of one in words is where it is measured', () => {
    const s = crystal('P 1 21/c 1', monoclinic);
    for (const e of elementsNear(s, [originalRef('s1')])) {
      expect(readThings(s, [atom(1), e.thing]).readings[0]!.value).toBeCloseTo(e.away!, 9);
      const glide = /y = (−?)([¼½¾]|\d)/.exec(e.words);
      if (!e.thing.plane || !glide) continue;
      const level = { '¼': 0.25, '½': 0.5, '¾': 0.75 }[glide[2]!] ?? Number(glide[2]);
      expect(e.away).toBeCloseTo(monoclinic.b * Math.abs(s.sites[1]!.position[1] - (glide[1] ? -level : level)), 6);
    }
  });

  it('an angle with an axis and one with a plane add up to a right angle where axis and normal are one', () => {
    const s = crystal('P 1 2/m 1', monoclinic);
    const line: Thing = { kind: 'line', atoms: [originalRef('s0'), originalRef('s1')] };
    const [p, q] = cartesianOf(s, [originalRef('s0'), originalRef('s1')]);
    const d = subtract(q!, p!);
    const slope = (Math.acos(Math.abs(d[1]) / norm(d)) * 180) / Math.PI;
    const axis: Thing = { kind: 'element', at: [0, 0, 0.5], axis: [0, 1, 0] };
    const mirror: Thing = { kind: 'element', at: [0, 0.5, 0], plane: [0, 1, 0] };
    expect(readThings(s, [line, axis]).readings[0]!.value).toBeCloseTo(slope, 9);
    expect(readThings(s, [mirror, line]).readings[0]!.value).toBeCloseTo(90 - slope, 9);
    expect(readThings(s, [axis, mirror]).readings[0]!.value).toBeCloseTo(90, 9);
  });

  it('distances from what symmetry fixes are as uncertain as the atom across it, and as the cell', () => {
    const s = crystal('P 1 2/m 1', { ...monoclinic, su: [0.004, 0.006, 0.008, 0, 0.05, 0] });
    const mirror: Thing = { kind: 'element', at: [0, 0.5, 0], plane: [0, 1, 0] };
    const [found] = readThings(s, [atom(2), mirror]).readings;
    const y = s.sites[2]!.position[1] - 0.5;
    expect(found!.value).toBeCloseTo(monoclinic.b * Math.abs(y), 9);
    expect(found!.su).toBeCloseTo(Math.hypot(monoclinic.b * 0.003, 0.006 * y), 9);
  });

  it('of two atoms across a centre the angle there is straight', () => {
    const s = crystal('P -1', { ...monoclinic, alpha: 81, gamma: 97 });
    const centre: Thing = { kind: 'element', at: [0.5, 0, 0.5] };
    const other: Thing = { kind: 'point', atoms: [{ site: 's0', operator: 1, shift: [1, 0, 1] }] };
    expect(readThings(s, [atom(0), centre, other]).readings[0]!.value).toBeCloseTo(180, 4);
    const [near, far] = [readThings(s, [atom(0), centre]), readThings(s, [centre, other])];
    expect(near.readings[0]).toMatchObject({ name: 'distance', unit: 'Å' });
    expect(near.readings[0]!.value).toBeCloseTo(far.readings[0]!.value, 9);
  });
});
