import { describe, expect, it } from 'vitest';
import { testCrystal } from '../../../demo/src/test-crystals.ts';
import { originalRef, type AtomRef } from '../crystal/atom-ref.ts';
import type { Structure } from '../crystal/structure.ts';
import { orthogonalization } from '../crystal/cell.ts';
import { apply3, inverse3, turn, type Vec3 } from '../math/matrix3.ts';
import { seededRandom } from '../math/random.ts';
import { cartesianOf } from './measure.ts';
import { moleculeOf, overlay, overlayOnStructure, type Part } from './superposition.ts';

const { structure: S } = testCrystal('CC(=O)Nc1ccc(O)cc1', 'P 21/c', 3);
const whole = (s: Structure, shift: Vec3 = [0, 0, 0]): Part => ({
  structure: s,
  atoms: moleculeOf(s, { ...originalRef(s.sites[0]!.id), shift }),
});
const PLAIN = { mirror: false, hydrogens: false };

/** The sites in another order, turned and shifted in a roomy cell without symmetry; mirrored on request. */
function elsewhere(s: Structure, mirrored: boolean): Structure {
  const random = seededRandom(8);
  const cell = { a: 40, b: 41, c: 42, alpha: 90, beta: 90, gamma: 90 };
  const back = inverse3(orthogonalization(cell));
  const at = cartesianOf(
    s,
    s.sites.map((x) => originalRef(x.id)),
  );
  const axis: Vec3 = [2 / 7, 3 / 7, 6 / 7];
  const sites = s.sites.map((x, i) => {
    const p = mirrored ? ([-at[i]![0], at[i]![1], at[i]![2]] as Vec3) : at[i]!;
    const q = turn(p, axis, 1.1);
    return { ...x, id: `m${i}`, position: apply3(back, [q[0] + 15, q[1] + 14, q[2] + 13]) };
  });
  return {
    cell,
    spaceGroup: testCrystal('CCO', 'P 1', 1).structure.spaceGroup,
    sites: sites
      .map((x) => [random.next(), x] as const)
      .sort((p, q) => p[0] - q[0])
      .map(([, x]) => x),
  };
}

describe('molecules laid over one another', () => {
  it('a copy by symmetry fits exactly, whatever its hand', () => {
    const copy: AtomRef = { site: S.sites[0]!.id, operator: 1, shift: [0, 0, 0] };
    const found = overlay(whole(S), { structure: S, atoms: moleculeOf(S, copy) }, { mirror: true, hydrogens: true });
    expect(found.rms).toBeLessThan(1e-6);
    expect(found.pairs).toHaveLength(S.sites.length);
  });

  it('is found in another structure, in another order, turned', () => {
    const other = elsewhere(S, false);
    const found = overlayOnStructure(whole(S), other, PLAIN);
    expect(found.rms).toBeLessThan(1e-6);
    expect(found.mirrored).toBe(false);
    const own = new Map(found.pairs.map((p) => [p.first.site, p.second.site]));
    // A flat ring that can be turned about its axis fits either way; what stands alone is matched to itself.
    const heavy = S.sites.findIndex((x) => x.element === 'N');
    expect(own.get(S.sites[heavy]!.id)).toBe(`m${heavy}`);
    const placed = cartesianOf(S, whole(S).atoms);
    found.positions.forEach((p) =>
      expect(Math.min(...placed.map((q) => Math.hypot(p[0] - q[0], p[1] - q[1], p[2] - q[2])))).toBeLessThan(1e-5),
    );
  });

  it('takes the mirror image only when that is allowed', () => {
    const twisted = {
      ...S,
      sites: S.sites.map((x, i) =>
        i === 0 ? { ...x, position: [x.position[0] + 0.03, x.position[1] + 0.02, x.position[2] + 0.05] as const } : x,
      ),
    };
    const other = elsewhere(twisted, true);
    const strict = overlayOnStructure(whole(twisted), other, { ...PLAIN, hydrogens: true });
    const free = overlayOnStructure(whole(twisted), other, { mirror: true, hydrogens: true });
    expect(strict.mirrored).toBe(false);
    expect(strict.rms).toBeGreaterThan(0.01);
    expect(free).toMatchObject({ mirrored: true });
    expect(free.rms).toBeLessThan(1e-6);
  });

  it('lists the torsions that differ most', () => {
    const { torsions } = overlay(whole(S), whole(S), PLAIN);
    expect(torsions.length).toBeGreaterThan(4);
    expect(torsions.every((t) => Math.abs(t.difference) < 1e-9)).toBe(true);
  });

  it.each<[string, () => unknown, RegExp]>([
    [
      'another molecule',
      () => overlayOnStructure(whole(S), testCrystal('CCCCO', 'P 1', 1).structure, PLAIN),
      /numbers of atoms|no molecule/,
    ],
    [
      'the same atoms bonded differently',
      () =>
        overlayOnStructure(
          whole(testCrystal('CCOC', 'P 1', 1).structure),
          testCrystal('CCCO', 'P 1', 1).structure,
          PLAIN,
        ),
      /bonded differently/,
    ],
  ])('says why not: %s', (_, act, said) => expect(act).toThrow(said));
});
