import { describe, expect, it } from 'vitest';
import { project } from './camera.ts';
import { PAPER_COLOURS } from './colours.ts';
import { eyeDistance, magnification, seenScene } from './optics.ts';
import { itemsOf, USUAL_LIGHT, type AtomPrimitive, type Camera, type Layer, type Scene } from './scene.ts';
import { paintSvg } from './svg.ts';
import type { Vec3 } from '../math/matrix3.ts';

const SIZE = { width: 400, height: 300 };
const camera = (optics?: Camera['optics']): Camera => ({
  rotation: [1, 0, 0, 0, 1, 0, 0, 0, 1],
  target: [0, 0, 0],
  scale: 0.05,
  ...(optics ? { optics } : {}),
});
const atom = (position: Vec3): AtomPrimitive => ({
  ref: { site: 'a', operator: 0, shift: [0, 0, 0] },
  position,
  element: 'C',
  label: 'C1',
  colour: '#204060',
  axes: [
    [0.5, 0, 0],
    [0, 0.5, 0],
    [0, 0, 0.5],
  ],
  shape: 'sphere',
  opacity: 1,
});
const scene = (optics: Camera['optics']): Scene => {
  const items = [atom([1, 0, 4]), atom([1, 0, 0]), atom([1, 0, -4])];
  const layers: Layer[] = [
    { kind: 'atoms', name: 'model', items },
    {
      kind: 'bonds',
      name: 'model',
      items: [{ from: [1, 0, -4], to: [1, 0, -2], colours: ['#204060', '#204060'], radius: 0.1, opacity: 1 }],
    },
  ];
  return { layers, camera: camera(optics), light: USUAL_LIGHT, ground: PAPER_COLOURS.ground };
};

describe('perspective', () => {
  it('leaves what lies in the plane of the target as it is', () => {
    const seen = camera({ fieldOfView: 30, cue: 0 });
    expect(project(seen, SIZE, [2, 1, 0])).toEqual(project(camera(), SIZE, [2, 1, 0]));
    expect(magnification(camera(), SIZE, 5)).toBe(1);
  });

  it('follows the lines of sight to the eye', () => {
    const seen = camera({ fieldOfView: 40, cue: 0 });
    const eye = eyeDistance(seen, SIZE);
    // Half the picture's height stands at half the field of view.
    expect(Math.atan((SIZE.height * seen.scale) / 2 / eye) * (360 / Math.PI)).toBeCloseTo(40, 9);
    const onLine = (depth: number): Vec3 => [2 * (1 - depth / eye), 0, depth];
    for (const depth of [-6, 3, 5]) expect(project(seen, SIZE, onLine(depth)).x).toBeCloseTo(200 + 2 / 0.05, 9);
  });

  it('draws near atoms larger in the vector file too', () => {
    const radii = [...paintSvg(scene({ fieldOfView: 40, cue: 0 }), SIZE).matchAll(/<circle[^>]* r="([\d.]+)"/g)].map(
      (m) => Number(m[1]),
    );
    expect(radii).toHaveLength(3);
    // Painted from the back to the front.
    expect(radii[0]!).toBeLessThan(radii[1]!);
    expect(radii[1]!).toBeLessThan(radii[2]!);
  });
});

describe('depth', () => {
  it('fades into the ground from front to back', () => {
    const colours = itemsOf(seenScene(scene({ fieldOfView: 0, cue: 0.5 })).layers, 'atoms').map((a) => a.colour);
    expect(colours[0]).toBe('#204060');
    // Half of the way to white.
    expect(colours[2]).toBe('#90a0b0');
  });

  it('is cut off before and behind', () => {
    const { layers } = seenScene(scene({ fieldOfView: 0, cue: 0, front: 2, back: 2 }));
    expect(itemsOf(layers, 'atoms').map((a) => a.opacity)).toEqual([0, 1, 0]);
    expect(itemsOf(layers, 'bonds')).toEqual([]);
    expect(paintSvg({ ...scene({ fieldOfView: 0, cue: 0, front: 2, back: 2 }) }, SIZE).match(/<circle/g)).toHaveLength(
      1,
    );
  });

  it('is as it was without optics', () => {
    const plain = scene(undefined);
    expect(seenScene(plain)).toBe(plain);
  });
});
