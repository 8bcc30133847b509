import { describe, expect, it } from 'vitest';
import { originalRef } from '../crystal/atom-ref.ts';
import { spaceGroupFromSymbol } from '../crystal/settings.ts';
import type { Site, Structure } from '../crystal/structure.ts';
import type { Thing } from '../geometry/things.ts';
import { dot, norm, normalize, subtract, type Vec3 } from '../math/matrix3.ts';
import { PAPER_COLOURS } from './colours.ts';
import { disc, measureLayers, type DrawnMeasure } from './measure-layers.ts';
import { itemsOf } from './scene.ts';

const site = (id: string, position: Vec3): Site => ({
  id,
  label: id,
  element: 'C',
  position,
  occupancy: 1,
  displacement: { kind: 'iso', u: 0.02 },
});
/** A cell of 10 Å, so that fractional tenths are Å. */
const s: Structure = {
  cell: { a: 10, b: 10, c: 10, alpha: 90, beta: 90, gamma: 90 },
  spaceGroup: spaceGroupFromSymbol('P 1 2/m 1'),
  sites: [
    site('a', [0.1, 0.2, 0.3]),
    site('b', [0.3, 0.2, 0.3]),
    site('c', [0.3, 0.4, 0.3]),
    site('d', [0.1, 0.4, 0.3]),
  ],
};
const near = (v: readonly number[]) => v.map((x) => expect.closeTo(x, 9) as number);
const point = (...ids: string[]): Thing => ({ kind: 'point', atoms: ids.map(originalRef) });
const layers = (...measures: DrawnMeasure[]) => measureLayers(s, measures, [], PAPER_COLOURS);

describe('measures in the scene', () => {
  it('a distance is a dashed line with its value in the middle', () => {
    const drawn = layers({ things: [point('a'), point('c')], text: '2.83' });
    const [line] = itemsOf(drawn, 'lines');
    expect(line).toMatchObject({ from: near([1, 2, 3]), to: near([3, 4, 3]), dashed: true });
    expect(itemsOf(drawn, 'labels')).toMatchObject([{ text: '2.83', at: near([2, 3, 3]) }]);
  });

  it('an angle is told at its apex, a torsion on its axis', () => {
    expect(itemsOf(layers({ things: [point('a'), point('b'), point('c')], text: '90°' }), 'labels')[0]!.at).toEqual([
      3, 2, 3,
    ]);
    const torsion = layers({ things: [point('a'), point('b'), point('c'), point('d')], text: '0°' });
    expect(itemsOf(torsion, 'labels')[0]!.at).toEqual(near([3, 3, 3]));
    expect(itemsOf(torsion, 'lines')).toHaveLength(3);
  });

  it('a plane is a disc through its atoms, a line stands out beyond them', () => {
    const plane: Thing = { kind: 'plane', atoms: ['a', 'b', 'c', 'd'].map(originalRef) };
    const [round] = itemsOf(layers({ things: [plane], text: '' }), 'planes');
    for (const corner of round!.corners) {
      expect(corner[2]).toBeCloseTo(3, 9);
      expect(norm(subtract(corner, [2, 3, 3]))).toBeCloseTo(Math.SQRT2 + 0.35, 9);
    }
    const line: Thing = { kind: 'line', atoms: ['a', 'b'].map(originalRef) };
    const [solid] = itemsOf(layers({ things: [line], text: '' }), 'lines');
    expect(solid).toMatchObject({ dashed: false });
    expect(norm(subtract(solid!.to, solid!.from))).toBeCloseTo(2 + 2.4, 9);
  });

  it('from a mirror plane the way is to its foot, with a disc of it there', () => {
    const mirror: Thing = { kind: 'element', at: [0, 0.5, 0], plane: [0, 1, 0] };
    const drawn = layers({ things: [point('a'), mirror], text: '3.00' });
    expect(itemsOf(drawn, 'lines')[0]).toMatchObject({ from: near([1, 2, 3]), to: near([1, 5, 3]) });
    for (const corner of itemsOf(drawn, 'planes')[0]!.corners) expect(corner[1]).toBeCloseTo(5, 9);
  });

  it('from an axis the way is square to it, with a piece of it there; from a centre straight to it', () => {
    const axis: Thing = { kind: 'element', at: [0.5, 0, 0.5], axis: [0, 1, 0] };
    const [piece, way] = itemsOf(layers({ things: [point('a'), axis], text: '' }), 'lines');
    expect(way).toMatchObject({ to: near([5, 2, 5]) });
    expect(Math.abs(dot(normalize(subtract(piece!.to, piece!.from)), [0, 1, 0]))).toBeCloseTo(1, 9);
    expect(dot(subtract(way!.to, way!.from), [0, 1, 0])).toBeCloseTo(0, 9);
    const centre: Thing = { kind: 'element', at: [0.5, 0.5, 0.5] };
    expect(itemsOf(layers({ things: [centre, point('c')], text: '' }), 'lines')[0]).toMatchObject({
      from: near([5, 5, 5]),
      to: near([3, 4, 3]),
    });
  });

  it('those whose atoms are gone are left out, the others stay', () => {
    const drawn = layers(
      { things: [point('a'), point('gone')], text: 'x' },
      { things: [point('a'), point('b')], text: 'y' },
    );
    expect(itemsOf(drawn, 'labels').map((l) => l.text)).toEqual(['y']);
    expect(layers()).toEqual([]);
  });

  it('discs of rings are drawn in the colour of water, and a tilted one lies in its plane', () => {
    const drawn = measureLayers(s, [], [['a', 'b', 'c'].map(originalRef), ['a', 'b'].map(originalRef)], PAPER_COLOURS);
    expect(itemsOf(drawn, 'planes').map((p) => p.colour)).toEqual([PAPER_COLOURS.water]);
    const tilted = disc(
      [
        [0, 0, 0],
        [1, 0, 1],
        [0, 1, 0],
        [1, 1, 1],
      ],
      '#000000',
      0.5,
    );
    const normal = normalize([1, 0, -1]);
    for (const corner of tilted.corners) expect(dot(subtract(corner, [0.5, 0.5, 0.5]), normal)).toBeCloseTo(0, 9);
  });
});
