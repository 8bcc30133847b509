import { describe, expect, it } from 'vitest';
import { testCrystal } from '../../../demo/src/test-crystals.ts';
import * as textbook from '../../../demo/src/textbook.ts';
import { isHome, originalRef, placeKey, type AtomRef } from '../crystal/atom-ref.ts';
import { withBonding } from '../crystal/bonding.ts';
import type { Structure } from '../crystal/structure.ts';
import { bonded, proposedBonding } from '../geometry/bonding-proposal.ts';
import { hullVolume } from '../geometry/polyhedron.ts';
import { determinant3, dot, multiply3, norm, subtract, transpose3, type Vec3 } from '../math/matrix3.ts';
import { buildLayers, type SceneWish } from './build-scene.ts';
import { COLOUR_RULES, colouring } from './colouring.ts';
import { PAPER_COLOURS } from './colours.ts';
import { atomsOfExtent } from './extent.ts';
import { firstLook } from './first-look.ts';
import { labelling, LABEL_RULES } from './label-rules.ts';
import { disc, measureLayers } from './measure-layers.ts';
import { missingCorners, polyhedra, type PolyhedronRule } from './polyhedra.ts';
import { crystalPortrait, patternPortrait } from './portrait.ts';
import { itemsOf } from './scene.ts';

const rutile = textbook.rutile('Ti', 4.594, 2.959, 0.3053);
const { structure: molecule } = testCrystal('CC(=O)Nc1ccc(O)cc1', 'P 21/c', 3);
const wish = (more: Partial<SceneWish> = {}): SceneWish => ({
  extent: { kind: 'closed cell' },
  rules: [],
  showCell: false,
  labels: 'none',
  colours: PAPER_COLOURS,
  ...more,
});
const rule = (element: string, more: Partial<PolyhedronRule> = {}): PolyhedronRule => ({
  centre: { kind: 'element', element },
  opacity: 0.7,
  edges: true,
  showCentre: true,
  ...more,
});

describe('polyhedra', () => {
  const layers = buildLayers(rutile, wish({ polyhedra: [rule('Ti')] }));
  const drawn = itemsOf(layers, 'polyhedra');

  it('stand around every drawn centre, with the corners that were missing', () => {
    const centres = atomsOfExtent(rutile, { kind: 'closed cell' }).filter((a) => a.site === rutile.sites[0]!.id);
    expect(drawn).toHaveLength(centres.length);
    const plain = itemsOf(buildLayers(rutile, wish()), 'atoms').length;
    const s = bonded(rutile);
    const corners = missingCorners(s, atomsOfExtent(s, { kind: 'closed cell' }), [rule('Ti')]);
    expect(itemsOf(layers, 'atoms')).toHaveLength(plain + corners.length);
    expect(corners.length).toBeGreaterThan(0);
  });

  it('have the faces of their hull, seen from outside', () => {
    for (const p of drawn) {
      expect(p.vertices).toHaveLength(6);
      expect(p.faces).toHaveLength(8);
      const middle = [0, 1, 2].map((k) => p.vertices.reduce((sum, v) => sum + v[k]!, 0) / 6) as unknown as Vec3;
      let volume = 0;
      for (const f of p.faces) {
        const [a, b, c] = f.map((i) => subtract(p.vertices[i]!, middle)) as [Vec3, Vec3, Vec3];
        const six = determinant3([...a, ...b, ...c] as never);
        expect(six).toBeGreaterThan(0);
        volume += six / 6;
      }
      expect(volume).toBeCloseTo(hullVolume(p.vertices), 9);
    }
  });

  it('take the last rule that names a site, and may hide their centres', () => {
    const rules = [
      rule('Ti', { opacity: 0.2 }),
      {
        ...rule('Ti', { opacity: 1, showCentre: false }),
        centre: { kind: 'site' as const, site: rutile.sites[0]!.id },
      },
    ];
    const hidden = buildLayers(rutile, wish({ polyhedra: rules }));
    expect(itemsOf(hidden, 'polyhedra').every((p) => p.opacity === 1)).toBe(true);
    expect(itemsOf(hidden, 'atoms').some((a) => a.element === 'Ti')).toBe(false);
  });

  it('of flat surroundings are sheets seen from both sides', () => {
    const s = bonded(textbook.calcite());
    const carbon = s.sites.find((x) => x.element === 'C')!;
    const [sheet] = polyhedra(s, [{ ref: originalRef(carbon.id), colour: '#808080' }], [rule('C')]);
    expect(sheet!.faces).toHaveLength(2);
    expect([...sheet!.faces[0]!].sort()).toEqual([0, 1, 2]);
    // Two corners make no sheet.
    const quartz = bonded(textbook.quartz());
    const oxygen = quartz.sites.find((x) => x.element === 'O')!;
    expect(polyhedra(quartz, [{ ref: originalRef(oxygen.id), colour: '#808080' }], [rule('O')])).toEqual([]);
  });
});

describe('parts of a crystal', () => {
  const keys = (s: Structure, atoms: readonly AtomRef[]): Set<string> => new Set(atoms.map((a) => placeKey(s, a)));

  it('one motif is one repeat of each net', () => {
    expect(atomsOfExtent(molecule, { kind: 'motif' })).toHaveLength(molecule.sites.length);
    const s = bonded(textbook.graphite());
    const motif = atomsOfExtent(s, { kind: 'motif' });
    // The two layers of a cell are copies of one another.
    expect(motif).toHaveLength(2);
    expect(keys(s, motif).size).toBe(motif.length);
  });

  it('a layer is drawn alone, within its radius', () => {
    const s = bonded(textbook.graphite());
    const start = originalRef(s.sites[0]!.id);
    const layer = atomsOfExtent(s, { kind: 'net', of: [start], radius: 8 });
    const at = buildLayers(s, wish({ extent: { kind: 'list', atoms: layer } }));
    const heights = new Set(itemsOf(at, 'atoms').map((a) => a.position[2].toFixed(3)));
    expect(heights.size).toBe(1);
    // Two atoms in 5.258 Å² of a disc of 8 Å.
    const expected = (Math.PI * 64) / ((2.464 ** 2 * Math.sqrt(3)) / 4);
    expect(Math.abs(layer.length / expected - 1)).toBeLessThan(0.1);
  });

  it('a molecule is drawn whole, whatever the radius', () => {
    const start = originalRef(molecule.sites[0]!.id);
    expect(atomsOfExtent(molecule, { kind: 'net', of: [start], radius: 0.5 })).toHaveLength(molecule.sites.length);
    expect(atomsOfExtent(molecule, { kind: 'net', of: [originalRef('gone')], radius: 5 })).toEqual([]);
  });

  it('atoms are added to an extent, each place once', () => {
    const home = originalRef(rutile.sites[0]!.id);
    const far: AtomRef = { ...home, shift: [4, 0, 0] };
    const count = (added: readonly AtomRef[]): number => itemsOf(buildLayers(rutile, wish({ added })), 'atoms').length;
    expect(count([far, far, home, originalRef('gone')])).toBe(count([]) + 1);
  });

  it('bonds are those of the wish, else those proposed', () => {
    const none = {
      pairs: [
        { elements: ['Ti', 'O'] as const, cut: 0 },
        { elements: ['Ti', 'Ti'] as const, cut: 0 },
      ],
      hidden: [],
      added: [],
    };
    const bondsOf = (w: SceneWish): number => itemsOf(buildLayers(rutile, w), 'bonds').length;
    expect(bondsOf(wish({ bonding: none }))).toBe(0);
    expect(bondsOf(wish())).toBe(bondsOf(wish({ bonding: proposedBonding(rutile) })));
    expect(bondsOf(wish())).toBeGreaterThan(0);
  });
});

describe('what colours and labels tell', () => {
  const s: Structure = {
    ...molecule,
    sites: molecule.sites.map((x, i) => ({
      ...x,
      occupancy: i === 0 ? 0.4 : 1,
      displacement: { kind: 'iso', u: 0.02 + 0.002 * i },
    })),
  };
  it.each(COLOUR_RULES)('%s gives every atom a colour', (name) => {
    const of = colouring(s, name, PAPER_COLOURS);
    for (const x of s.sites) expect(of(originalRef(x.id), x)).toMatch(/^#[0-9a-f]{6}$/i);
  });

  it('from little to much where there is an order', () => {
    const of = colouring(s, 'displacement', PAPER_COLOURS);
    const at = (i: number): string => of(originalRef(s.sites[i]!.id), s.sites[i]!);
    expect(at(0)).toBe(PAPER_COLOURS.indigo);
    expect(at(s.sites.length - 1)).toBe(PAPER_COLOURS.vermilion);
    const charge = colouring(rutile, 'charge', PAPER_COLOURS);
    expect(charge(originalRef(rutile.sites[0]!.id), rutile.sites[0]!)).not.toBe(
      charge(originalRef(rutile.sites[1]!.id), rutile.sites[1]!),
    );
  });

  it('molecules are told apart, their own atoms are not', () => {
    const of = colouring(s, 'molecule', PAPER_COLOURS);
    const [x, y] = s.sites;
    const copy: AtomRef = { site: x!.id, operator: 1, shift: [0, 0, 0] };
    expect(of(originalRef(x!.id), x!)).toBe(of(originalRef(y!.id), y!));
    expect(of(copy, x!)).not.toBe(of(originalRef(x!.id), x!));
  });

  it.each<[(typeof LABEL_RULES)[number], string | undefined, string | undefined]>([
    ['label', 'Ti1', 'O2'],
    ['element', 'Ti', 'O'],
    ['site', '2a', '4f'],
    ['charge', 'Ti4+', 'O2-'],
    ['occupancy', undefined, undefined],
    ['displacement', '0.010', '0.010'],
    ['none', undefined, undefined],
  ])('beside atoms by %s', (name, ti, o) => {
    const of = labelling(rutile, name);
    expect(rutile.sites.map((x) => of(originalRef(x.id), x))).toEqual([ti, o]);
  });

  it('hydrogens and copies bear no names', () => {
    const of = labelling(s, 'label');
    const h = s.sites.find((x) => x.element === 'H')!;
    expect(of(originalRef(h.id), h)).toBeUndefined();
    const copy: AtomRef = { site: s.sites[1]!.id, operator: 1, shift: [0, 0, 0] };
    expect(isHome(copy)).toBe(false);
    expect(of(copy, s.sites[1]!)).toBeUndefined();
    expect(labelling(s, 'occupancy')(originalRef(s.sites[0]!.id), s.sites[0]!)).toBe('0.40');
  });
});

describe('the first look', () => {
  it.each<[string, Structure, object]>([
    ['a molecule', molecule, { dimension: 0, extent: 'molecules', salt: false, polyhedra: [] }],
    ['a framework', textbook.quartz(), { dimension: 3, extent: 'closed cell', salt: true, polyhedra: ['Si'] }],
    ['rutile', rutile, { dimension: 3, extent: 'closed cell', polyhedra: ['Ti'], look: 'balls' }],
    ['a layer', textbook.brucite(), { dimension: 2, extent: 'closed cell' }],
    ['a metal', textbook.copper(), { dimension: 3, extent: 'closed cell' }],
  ])('of %s is what it is', (_, s, expected) => {
    const look = firstLook(s);
    expect(look).toMatchObject(expected);
    expect(look.sentence).toMatch(/a cell of \d+ Å³ holds \d+ atoms/);
    const one = multiply3(look.rotation, transpose3(look.rotation));
    one.forEach((x, i) => expect(x).toBeCloseTo(i % 4 ? 0 : 1, 9));
    expect(determinant3(look.rotation)).toBeCloseTo(1, 9);
  });

  it('sees layers edge-on, their normal up', () => {
    const { rotation } = firstLook(textbook.graphite());
    expect(Math.abs(dot([rotation[3], rotation[4], rotation[5]], [0, 0, 1]))).toBeCloseTo(1, 9);
  });

  it('makes small pictures of crystals and patterns', () => {
    expect(crystalPortrait(rutile)).toMatch(/^<svg[^>]*viewBox="0 0 168 112".*<\/svg>$/s);
    const x = Float64Array.from({ length: 500 }, (_, i) => 10 + 0.1 * i);
    const picture = patternPortrait(
      x,
      x.map((v) => 100 * Math.exp(-((v - 30) ** 2))),
    );
    const heights = [...picture.matchAll(/(\d+),([\d.]+)/g)].map((m) => Number(m[2]));
    // The peak stands highest on the page a good third of the way.
    expect(heights.indexOf(Math.min(...heights))).toBeGreaterThan(60);
    expect(heights.indexOf(Math.min(...heights))).toBeLessThan(74);
  });
});

describe('measures in the scene', () => {
  const s = withBonding(molecule, proposedBonding(molecule));
  const atoms = s.sites.slice(0, 6).map((x) => originalRef(x.id));
  const point = (i: number) => ({ kind: 'point' as const, atoms: [atoms[i]!] });

  it('are dashed lines along a chain, with the text at its middle or apex', () => {
    const layers = measureLayers(s, [{ things: [point(0), point(1), point(2)], text: '109.5°' }], [], PAPER_COLOURS);
    expect(itemsOf(layers, 'lines').map((l) => l.dashed)).toEqual([true, true]);
    const [label] = itemsOf(layers, 'labels');
    const apex = itemsOf(buildLayers(s, wish({ extent: { kind: 'unique' } })), 'atoms')[1]!;
    expect(norm(subtract(label!.at, apex.position))).toBeLessThan(1e-9);
    expect(label!.text).toBe('109.5°');
  });

  it('are discs for planes; those of atoms long gone are left out', () => {
    const gone = { things: [point(0), { kind: 'point' as const, atoms: [originalRef('gone')] }], text: '' };
    expect(measureLayers(s, [gone], [[originalRef('gone'), ...atoms]], PAPER_COLOURS)).toEqual([]);
    const layers = measureLayers(s, [{ things: [{ kind: 'plane', atoms }], text: '0.01' }], [atoms], PAPER_COLOURS);
    expect(itemsOf(layers, 'planes')).toHaveLength(2);
  });

  it('discs lie in the plane of their atoms and hold them', () => {
    const square: Vec3[] = [
      [1, 1, 2],
      [-1, 1, 2],
      [-1, -1, 2],
      [1, -1, 2],
    ];
    const { corners } = disc(square, '#000000', 0.2);
    for (const c of corners) {
      expect(c[2]).toBeCloseTo(2, 9);
      expect(Math.hypot(c[0], c[1])).toBeGreaterThan(Math.SQRT2);
    }
  });
});
