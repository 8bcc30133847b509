import { describe, expect, it } from 'vitest';
import { textbook } from '../../../demo/src/textbook.ts';
import { cellVolume, orthogonalization } from '../crystal/cell.ts';
import { spaceGroupFromSymbol } from '../crystal/settings.ts';
import type { Structure } from '../crystal/structure.ts';
import { apply3, type Vec3 } from '../math/matrix3.ts';
import { seededRandom } from '../math/random.ts';
import { guestOf, voidCurve, voidMap } from './voids.ts';

const A = 6;
const atom = (symbol: string, at: Vec3 = [0, 0, 0], a = A, c = a): Structure => textbook(symbol, a, c, [['O', ...at]]);
const ball = (r: number): number => (4 / 3) * Math.PI * r ** 3;

describe('empty space of packed spheres', () => {
  it.each([
    ['cubic close-packed', 'F m -3 m', [0, 0, 0], A / Math.SQRT2 / 2, Math.PI / Math.sqrt(18)],
    ['body-centred', 'I m -3 m', [0, 0, 0], (A * Math.sqrt(3)) / 4, (Math.PI * Math.sqrt(3)) / 8],
    ['diamond', 'F d -3 m', [1 / 8, 1 / 8, 1 / 8], (A * Math.sqrt(3)) / 8, (Math.PI * Math.sqrt(3)) / 16],
  ] as const)('%s: what is left is known to 0.2 %%', (_, symbol, at, radius, packing) => {
    const map = voidMap(atom(symbol, at), { probe: 0, radii: { O: radius } });
    expect(map.packing / packing).toBeCloseTo(1, 2);
    const left = map.cell * (1 - packing);
    expect(Math.abs(map.reached / left - 1)).toBeLessThan(0.002);
    expect(map.touched).toBe(map.reached);
  });

  it('a probe reaches what lies further out by its radius', () => {
    const s = atom('P m -3 m', [0, 0, 0], 8);
    const { reached, touched } = voidMap(s, { probe: 1, radii: { O: 1.5 } });
    const { points: curve } = voidCurve(s, { O: 1.5 });
    expect(reached / (512 - ball(2.5))).toBeCloseTo(1, 3);
    // A ball of 1 Å comes to every place outside of the spheres.
    expect(touched / (512 - ball(1.5))).toBeCloseTo(1, 3);
    for (const { radius, reached: there } of curve)
      if (radius > 0.2 && radius < 2.4) expect(there / (512 - ball(1.5 + radius))).toBeCloseTo(1, 2);
  });

  it('the holes of a close packing take a ball each, and no larger one', () => {
    const radii = { O: A / Math.SQRT2 / 2 };
    const hole = (Math.SQRT2 - 1) * radii.O;
    const { points: curve, largest } = voidCurve(atom('F m -3 m'), radii);
    const { voids, touched } = voidMap(atom('F m -3 m'), { probe: 0.85 * hole, radii });
    expect(voids).toHaveLength(4);
    for (const v of voids) {
      expect(v.kind).toBe('closed');
      expect(v.sphere / 2).toBeCloseTo(hole, 3);
      expect(v.window).toBeUndefined();
    }
    expect(touched).toBeGreaterThan(0.98 * 4 * ball(0.85 * hole));
    // They reach a little into the corners around the largest ball.
    expect(touched).toBeLessThan(1.25 * 4 * ball(hole));
    expect(largest).toBeCloseTo(hole, 1);
    const none = voidMap(atom('F m -3 m'), { probe: 1.05 * hole, radii });
    expect(none.voids).toEqual([]);
    expect(none.touched).toBe(0);
    // The curve says from where on there is something.
    expect(curve.find((p) => p.radius > 1.02 * hole)!.reached).toBe(0);
    expect(curve.find((p) => p.radius > 0.4 * hole)!.touched).toBeGreaterThan(10);
  });
});

describe('what hangs together', () => {
  it('is a channel along a column of holes, with its window and its largest sphere', () => {
    const { voids } = voidMap(atom('P 4/m m m', [0, 0, 0], 8, 3), { probe: 2.9, radii: { O: 1.5 } });
    expect(voids).toHaveLength(1);
    expect(voids[0]).toMatchObject({ kind: 'channel', directions: [[0, 0, 1]] });
    // The middle of a square of 8 Å at the height of the atoms, and half way between two.
    expect(voids[0]!.window).toBeCloseTo(8 * Math.SQRT2 - 3, 2);
    expect(voids[0]!.sphere).toBeCloseTo(2 * Math.hypot(8 / Math.SQRT2, 1.5) - 3, 3);
    expect(voids[0]!.centre.slice(0, 2)).toEqual([expect.closeTo(0.5, 2), expect.closeTo(0.5, 2)]);
  });

  it('is a layer between layers of atoms, and everywhere between lone ones', () => {
    const layer = voidMap(atom('P 4/m m m', [0, 0, 0], 3, 11), { probe: 1.5, radii: { O: 1.5 } }).voids;
    expect(layer).toHaveLength(1);
    expect(layer[0]!.kind).toBe('layer');
    expect(layer[0]!.directions.every((d) => d[2] === 0)).toBe(true);
    expect(voidMap(atom('P m -3 m', [0, 0, 0], 8), { probe: 1, radii: { O: 1.5 } }).voids[0]!.kind).toBe('everywhere');
  });

  it('is as large in every description of the crystal', () => {
    const one = voidMap(atom('I m -3 m', [0, 0, 0], 9), { probe: 1.2, step: 0.15 });
    const skew: Structure = {
      ...atom('P 1'),
      cell: { a: 9 * Math.sqrt(0.75), b: 9, c: 9, alpha: 90, beta: 54.7356103, gamma: 54.7356103 },
      spaceGroup: spaceGroupFromSymbol('P 1'),
    };
    const other = voidMap(skew, { probe: 1.2, step: 0.15 });
    expect(other.touched / one.touched).toBeCloseTo(0.5, 2);
    expect(other.reached / one.reached).toBeCloseTo(0.5, 2);
  });
});

describe('random crystals', () => {
  const random = seededRandom(17);
  it('agree with places tried one by one', { tags: 'long' }, () => {
    for (let round = 0; round < 3; round++) {
      const cell = {
        a: 9,
        b: 8,
        c: 10,
        alpha: 80 + 20 * random.next(),
        beta: 95,
        gamma: 105 * random.next() * 0.1 + 90,
      };
      const sites = Array.from({ length: 7 }, (_, i) => ({
        id: `${i}`,
        label: `O${i}`,
        element: 'O',
        position: [random.next(), random.next(), random.next()] as const,
        occupancy: 1,
        displacement: { kind: 'iso' as const, u: 0.02 },
      }));
      const s: Structure = { cell, spaceGroup: spaceGroupFromSymbol('P 1'), sites };
      const probe = 1.1;
      const { reached, touched } = voidMap(s, { probe, radii: { O: 1.5 } });
      const { reachedShare, touchedShare } = byTrial(s, 1.5, probe, 600);
      const v = cellVolume(cell);
      // Of 600 places: an s.u. of two per cent.
      expect(Math.abs(reached / v - reachedShare)).toBeLessThan(0.06);
      expect(Math.abs(touched / v - touchedShare)).toBeLessThan(0.07);
      // The coarse curve says about the same.
      const curve = voidCurve(s, { O: 1.5 }).points;
      const beyond = curve.findIndex((p) => p.radius >= probe);
      expect(curve[beyond]!.touched).toBeLessThanOrEqual(1.05 * touched + 2);
      expect(curve[beyond - 1]!.touched).toBeGreaterThanOrEqual(0.93 * touched - 2);
    }
  });

  function byTrial(s: Structure, radius: number, probe: number, tries: number) {
    const m = orthogonalization(s.cell);
    const copies = s.sites.flatMap(({ position: p }) =>
      [-1, 0, 1, 2].flatMap((i) =>
        [-1, 0, 1, 2].flatMap((j) =>
          [-1, 0, 1, 2].map((k) => apply3(m, [p[0] + i - 0.5, p[1] + j - 0.5, p[2] + k - 0.5])),
        ),
      ),
    );
    // Only copies that can matter.
    const near = copies.filter((c) => c.every((v) => v > -14 && v < 26));
    const clear = (x: Vec3): number => {
      let least = Infinity;
      for (const c of near) least = Math.min(least, (x[0] - c[0]) ** 2 + (x[1] - c[1]) ** 2 + (x[2] - c[2]) ** 2);
      return Math.sqrt(least) - radius;
    };
    const STEPS = [-1, -0.67, -0.33, 0, 0.33, 0.67, 1].map((t) => t * probe);
    let reachedCount = 0,
      touchedCount = 0;
    for (let n = 0; n < tries; n++) {
      const x = apply3(m, [random.next() + 0.5, random.next() + 0.5, random.next() + 0.5]);
      const d = clear(x);
      if (d >= probe) {
        reachedCount++;
        touchedCount++;
        continue;
      }
      if (d < 0) continue;
      const isTouched = STEPS.some((u) =>
        STEPS.some((v) =>
          STEPS.some((w) => Math.hypot(u, v, w) <= probe && clear([x[0] + u, x[1] + v, x[2] + w]) >= probe),
        ),
      );
      if (isTouched) touchedCount++;
    }
    return { reachedShare: reachedCount / tries, touchedShare: touchedCount / tries };
  }
});

it('a probe that just fits is seen, though it stands between the points of a coarse grid', () => {
  const s = { ...atom('P 1'), cell: { a: 8, b: 8.6, c: 9.1, alpha: 90, beta: 90, gamma: 90 } };
  const radii = Object.fromEntries(s.sites.map((x) => [x.element, 1.5]));
  // Eight corners touch the largest ball.
  const largest = Math.hypot(8, 8.6, 9.1) / 2 - 1.5;
  const { voids, cell, packing } = voidMap(s, { probe: largest - 0.02, step: 0.61, radii });
  expect(voids).toHaveLength(1);
  expect(voids[0]!.sphere / 2).toBeCloseTo(largest, 3);
  // It is wider than the cell: little beside the corners is out of its reach.
  expect(voids[0]!.touched / (cell * (1 - packing))).toBeGreaterThan(0.95);
  expect(voids[0]!.touched / (cell * (1 - packing))).toBeLessThan(1);
  expect(voidMap(s, { probe: largest + 0.02, step: 0.61, radii }).voids).toHaveLength(0);
});

it('guests are offered by volume, and wrong probes refused', () => {
  expect(guestOf({ touched: 20 })).toBeUndefined();
  expect(guestOf({ touched: 41 })!.name).toBe('water');
  expect(guestOf({ touched: 400 })!.name).toBe('n-hexane');
  expect(() => voidMap(atom('P m -3 m'), { probe: -1 })).toThrow(/radius from 0 to 20/);
  expect(() => voidMap({ ...atom('P m -3 m'), sites: [] }, { probe: 1 })).toThrow(/no atoms/);
});
