import { describe, expect, it } from 'vitest';
import { allOperators, neighbours } from '../crystal/neighbours.ts';
import { groupOrder } from '../crystal/space-group.ts';
import { orthogonalization } from '../crystal/cell.ts';
import { applyOperator } from '../crystal/operator.ts';
import { cellFromFree, freeConstants } from '../build/from-symmetry.ts';
import { spaceGroupFromSymbol } from '../crystal/settings.ts';
import type { Site, Structure } from '../crystal/structure.ts';
import { add, apply3, inverse3, norm, normalize, scale, subtract, toVec3, type Vec3 } from '../math/matrix3.ts';
import { seededRandom, type Random } from '../math/random.ts';
import { definitionWords, SHIPPED, type Definition } from './definition.ts';
import { bifurcated, ContactSearch, type Contact } from './find-contacts.ts';

const GROUPS = [
  'P 1', 'P -1', 'P 1 21 1', 'C 1 2 1', 'P 1 21/c 1', 'C 1 2/c 1', 'P 21 21 21', 'P n a 21', 'P b c a', 'F d d 2',
  'I 41/a', 'P 41 21 2', 'I -4 2 d', 'R -3', 'P 31 2 1', 'P 61', 'P 63/m', 'P a -3', 'I -4 3 d', 'F m -3 m',
]; // prettier-ignore

const direction = (random: Random): Vec3 => normalize([random.normal(), random.normal(), random.normal()]);

/** An O–H and an N at random places where nothing falls together, and an oxygen on the origin, special in most groups. */
function randomCrystal(symbol: string, random: Random): Structure {
  const group = spaceGroupFromSymbol(symbol);
  const free = freeConstants(group);
  const edge = 4.5 * Math.cbrt(groupOrder(group)) + 3;
  const cell = cellFromFree(
    group,
    free.map((k) => (k.length > 1 ? 80 + 25 * random.next() : edge * (1 + 0.3 * random.next()))),
  );
  const back = inverse3(orthogonalization(cell));
  for (;;) {
    const o: Vec3 = [random.next(), random.next(), random.next()];
    // Where the nitrogen stands the hydrogen points at, roughly.
    const way = direction(random);
    const aside = scale(direction(random), 0.5);
    const places: readonly (readonly [string, Vec3])[] = [
      ['O', [0, 0, 0]],
      ['O', o],
      ['H', add(o, apply3(back, scale(way, 0.95)))],
      ['N', add(o, apply3(back, add(scale(way, 2.75), aside)))],
    ];
    const sites = places.map(([element, position], i): Site => ({
      id: `${element}${i}`,
      label: `${element}${i}`,
      element,
      position,
      occupancy: 1,
      displacement: { kind: 'iso', u: 0.02 },
    }));
    const s = { cell, spaceGroup: group, sites };
    if (isSpread(s)) return s;
  }
}

/** Nothing but O–H nearer than 1.5 Å. */
const isSpread = (s: Structure): boolean =>
  neighbours(
    s.cell,
    s.spaceGroup,
    s.sites.map((x) => x.position),
    1.5,
  ).every((n) => Math.abs(n.distance - 0.95) < 1e-3);

/** Every O–H⋯O or N by plain distances over all operators and cells, as text. */
function plainly(s: Structure, longest: number, leastAngle: number): string[] {
  const m = orthogonalization(s.cell);
  const hydrogen = s.sites.findIndex((x) => x.element === 'H');
  const h = apply3(m, s.sites[hydrogen]!.position),
    o = apply3(m, s.sites[hydrogen - 1]!.position);
  const out = new Set<string>();
  for (const [i, site] of s.sites.entries()) {
    if (site.element === 'H') continue;
    for (const operator of allOperators(s.spaceGroup)) {
      const y = applyOperator(operator, site.position);
      const near = y.map((c, k) => c - Math.round(c - s.sites[hydrogen]!.position[k]!));
      for (const shift of CELLS) {
        const x = apply3(m, add(toVec3(near), shift));
        const d = norm(subtract(x, h));
        if (d > longest || norm(subtract(x, o)) < 0.01) continue;
        const [u, v] = [subtract(o, h), subtract(x, h)];
        const cos = (u[0] * v[0] + u[1] * v[1] + u[2] * v[2]) / (norm(u) * norm(v));
        const bent = (Math.acos(Math.max(-1, Math.min(1, cos))) * 180) / Math.PI;
        if (bent < leastAngle) continue;
        const where = x.map((c) => c.toFixed(2)).join();
        out.add(`${i} ${d.toFixed(4)} ${bent.toFixed(2)} ${where}`);
      }
    }
  }
  return [...out].map((line) => line.split(' ').slice(0, 3).join(' ')).sort();
}

const CELLS: readonly Vec3[] = [-2, -1, 0, 1, 2].flatMap((i) =>
  [-2, -1, 0, 1, 2].flatMap((j) => [-2, -1, 0, 1, 2].map((k): Vec3 => [i, j, k])),
);

const PLAIN: Definition = {
  ...SHIPPED[0]!,
  givers: ['O'],
  takers: ['O', 'N'],
  near: { by: 'length', from: 0, to: 2.6 },
  leastAngle: 100,
  leastBonds: 0,
  hydrogens: 'asked for',
};

const lines = (s: Structure, list: readonly Contact[]): string[] => {
  const index = new Map(s.sites.map((x, i) => [x.id, i]));
  return list.map((c) => `${index.get(c.taker.site)} ${c.ha!.value.toFixed(4)} ${c.angle!.value.toFixed(2)}`).sort();
};

describe('contacts by a definition', () => {
  it.each(GROUPS)('are those of plain distances over all cells: %s', (symbol) => {
    const random = seededRandom(1400 + GROUPS.indexOf(symbol));
    let told = 0;
    for (let round = 0; round < 6; round++) {
      const s = randomCrystal(symbol, random);
      const found = new ContactSearch(s).find(PLAIN);
      expect(lines(s, found)).toEqual(plainly(s, 2.6, 100));
      told += found.length;
    }
    expect(told).toBeGreaterThan(3);
  });

  it('a hydrogen to two takers is told as such', () => {
    const s: Structure = {
      cell: { a: 12, b: 12, c: 12, alpha: 90, beta: 90, gamma: 90 },
      spaceGroup: spaceGroupFromSymbol('P 1'),
      sites: (
        [
          ['N', 6, 6, 6],
          ['H', 6, 6.9, 6],
          ['O', 7.2, 8.6, 6],
          ['O', 4.8, 8.6, 6],
        ] as const
      ).map(([element, x, y, z], i) => ({
        id: `${i}`,
        label: `${element}${i}`,
        element,
        position: [x / 12, y / 12, z / 12],
        occupancy: 1,
        displacement: { kind: 'iso', u: 0.02 },
      })),
    };
    const found = new ContactSearch(s).find({ ...SHIPPED[0]!, hydrogens: 'asked for' });
    expect(found).toHaveLength(2);
    expect(bifurcated(found)).toHaveLength(1);
  });

  it('every definition that ships says what it is in a sentence, and finds nothing in an empty box', () => {
    const full = randomCrystal('P 1', seededRandom(3));
    const alone = { ...full, cell: { ...full.cell, a: 60, b: 60, c: 60 }, sites: full.sites.slice(0, 1) };
    const search = new ContactSearch(alone);
    for (const d of SHIPPED) {
      expect(definitionWords(d)).toMatch(/ to .*\.$/);
      expect(search.find(d)).toEqual([]);
    }
  });
});
