import { describe, expect, it } from 'vitest';
import { seededRandom } from '../math/random.ts';
import { apply3, subtract, transpose3, turn, IDENTITY3, type Vec3 } from '../math/matrix3.ts';
import { project, turnCamera } from './camera.ts';
import { depthOf } from './optics.ts';
import { atomUnder, elementUnder } from './pick.ts';
import type { AtomPrimitive, Camera, ElementPrimitive } from './scene.ts';

const SIZE = { width: 400, height: 300 };
const random = seededRandom(11);
const plain: Camera = { rotation: IDENTITY3, target: [1, -2, 0.5], scale: 0.05 };
const turned = (optics?: Camera['optics']): Camera => ({
  ...turnCamera(turnCamera(plain, { up: 0.7 }), { right: -1.1 }),
  ...(optics ? { optics } : {}),
});

function atom(position: Vec3, axes: AtomPrimitive['axes'], label = ''): AtomPrimitive {
  const ref = { site: label, operator: 0, shift: [0, 0, 0] as Vec3 };
  return { ref, position, element: 'C', label, colour: '#204060', axes, shape: 'ellipsoid', opacity: 1 };
}
const ball = (position: Vec3, radius: number, label = ''): AtomPrimitive =>
  atom(
    position,
    [
      [radius, 0, 0],
      [0, radius, 0],
      [0, 0, radius],
    ],
    label,
  );
const somewhere = (): Vec3 => [4 * random.next() - 1, 4 * random.next() - 4, 4 * random.next() - 2];

describe('the atom under a point', () => {
  const ways: [string, Camera][] = [
    ['parallel', turned()],
    ['in perspective', turned({ fieldOfView: 50, cue: 0 })],
  ];

  it.each(ways)('is met at its middle and missed beyond its outline, %s', (_, camera) => {
    for (let k = 0; k < 50; k++) {
      const a = ball(somewhere(), 0.3);
      const { x, y } = project(camera, SIZE, a.position);
      expect(atomUnder([a], camera, SIZE, x, y)).toBe(a);
      // As wide as it is on the screen, and a good deal more in perspective.
      expect(atomUnder([a], camera, SIZE, x + 20, y)).toBeUndefined();
    }
  });

  it.each(ways)('is one whose surface shows there, %s', (_, camera) => {
    for (let k = 0; k < 100; k++) {
      const a = atom(somewhere(), [turn([0.6, 0, 0], [0, 0, 1], k), turn([0, 0.2, 0], [0, 0, 1], k), [0, 0, 0.4]]);
      // A point of the surface.
      const u = [random.next() - 0.5, random.next() - 0.5, random.next() - 0.5] as const;
      const length = Math.hypot(...u);
      const on = a.position.map((p, i) => p + (0.999 * a.axes.reduce((s, v, j) => s + v[i]! * u[j]!, 0)) / length);
      const { x, y } = project(camera, SIZE, on as unknown as Vec3);
      expect(atomUnder([a], camera, SIZE, x, y)).toBe(a);
    }
  });

  it.each(ways)(
    'is the nearest of those on the line of sight, and the next one where it is cut off, %s',
    (_, camera) => {
      const toward = apply3(transpose3(camera.rotation), [0, 0, 1]);
      const near = ball(camera.target.map((t, k) => t + 2 * toward[k]!) as unknown as Vec3, 0.3, 'near');
      const far = ball(camera.target.map((t, k) => t - 2 * toward[k]!) as unknown as Vec3, 0.3, 'far');
      const { x, y } = project(camera, SIZE, camera.target);
      expect(depthOf(camera, subtract(near.position, [0, 0, 0]))).toBeCloseTo(2);
      expect(atomUnder([far, near], camera, SIZE, x, y)).toBe(near);
      const optics = { ...(camera.optics ?? { fieldOfView: 0, cue: 0 }), front: 1 };
      expect(atomUnder([far, near], { ...camera, optics }, SIZE, x, y)).toBe(far);
      expect(atomUnder([far, near], { ...camera, optics: { ...optics, back: 1 } }, SIZE, x, y)).toBeUndefined();
    },
  );
});

it('a centre of symmetry goes before an axis, and an axis before a plane', () => {
  const element = (name: string, points: Vec3[]): ElementPrimitive => ({ name, points, colour: '#000', picked: false });
  const plane = element('m', [
    [-2, -2, 0],
    [2, -2, 0],
    [2, 2, 0],
    [-2, 2, 0],
  ]);
  const axis = element('2', [
    [-2, 0, 0],
    [2, 0, 0],
  ]);
  const centre = element('-1', [[0, 0, 0]]);
  const camera: Camera = { ...plain, target: [0, 0, 0] };
  const under = (at: Vec3): string | undefined => {
    const see = (p: Vec3) => project(camera, SIZE, p);
    const { x, y } = see(at);
    return elementUnder([plane, axis, centre], see, x, y)?.name;
  };
  expect([under([0, 0, 0]), under([1, 0, 0]), under([1, 1, 0]), under([3, 3, 0])]).toEqual(['-1', '2', 'm', undefined]);
});
