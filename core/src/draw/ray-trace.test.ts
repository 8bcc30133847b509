import { describe, expect, it } from 'vitest';
import { add, norm, normalize, scale, subtract, type Vec3 } from '../math/matrix3.ts';
import { seededRandom, type Random } from '../math/random.ts';
import { ball } from './balls.ts';
import { BoxTree } from './ray-boxes.ts';
import { encoded, linear, meet, solidsOf, surfaceAt, type Solid } from './ray-solids.ts';
import { FULL, PREVIEW, Tracer } from './ray-trace.ts';
import { USUAL_LIGHT, type AtomPrimitive, type Layer, type Scene } from './scene.ts';

const SIZE = { width: 120, height: 90 };
const atom = (position: Vec3, r: number, colour = '#808080', opacity = 1): AtomPrimitive =>
  ball(position, r, colour, opacity);
const scene = (layers: readonly Layer[], optics?: { fieldOfView: number; cue: number }): Scene => ({
  layers,
  camera: { rotation: [1, 0, 0, 0, 1, 0, 0, 0, 1], target: [0, 0, 0], scale: 0.1, ...(optics ? { optics } : {}) },
  light: USUAL_LIGHT,
  ground: '#ffffff',
});
const atoms = (...items: AtomPrimitive[]): Layer => ({ kind: 'atoms', name: 'model', items });
const PLAIN = { ...PREVIEW, outline: false, shadows: 0 };
const pixel = (out: Uint8ClampedArray, x: number, y: number): number[] => [...out.slice(4 * (x + SIZE.width * y), 4 * (x + SIZE.width * y) + 4)]; // prettier-ignore
const whole = (s: Scene, options = PLAIN) => new Tracer(s, SIZE, options).tile({ x: 0, y: 0, ...SIZE });

const direction = (random: Random): Vec3 => normalize([random.normal(), random.normal(), random.normal()]);

/** A little of everything at random places. */
function clutter(random: Random): Layer[] {
  const place = (): Vec3 => [5 * random.normal(), 4 * random.normal(), 4 * random.normal()];
  const ellipsoid = (): AtomPrimitive => {
    const [u, v] = [direction(random), direction(random)];
    return {
      ...atom(place(), 1),
      shape: 'ellipsoid',
      axes: [scale(u, 0.5), scale(v, 0.8), scale(direction(random), 0.6)],
    };
  };
  return [
    atoms(...Array.from({ length: 20 }, () => atom(place(), 0.3 + random.next())), ...Array.from({ length: 10 }, ellipsoid)),
    {
      kind: 'bonds',
      name: 'model',
      items: Array.from({ length: 20 }, () => {
        const from = place();
        return { from, to: add(from, scale(direction(random), 1.5)), colours: ['#ff0000', '#00ff00'], radius: 0.1, opacity: 1 };
      }),
    },
    {
      kind: 'polyhedra',
      name: 'model',
      items: [
        {
          vertices: [place(), place(), place(), place()],
          faces: [[0, 1, 2], [0, 2, 3], [0, 3, 1], [1, 3, 2]],
          colour: '#4488cc',
          opacity: 0.5,
          edgeColour: '#000000',
          edgeWidth: 1,
        },
      ],
    },
  ]; // prettier-ignore
}

describe('what rays meet', () => {
  const random = seededRandom(3);
  const solids = solidsOf(scene(clutter(random)), SIZE);

  it('is what is nearest of all, by the tree of boxes', () => {
    const tree = new BoxTree(solids);
    let hits = 0;
    for (let n = 0; n < 3000; n++) {
      const o: Vec3 = [12 * random.normal(), 12 * random.normal(), 20];
      const d = normalize(subtract([4 * random.normal(), 3 * random.normal(), 3 * random.normal()], o));
      const best = Math.min(...solids.map((s) => meet(s, o, d, 0)));
      const found = tree.nearest(o, d, 0);
      expect(found?.t ?? Infinity).toBe(best);
      if (best < Infinity) hits++;
    }
    expect(hits).toBeGreaterThan(100);
  });

  it('lies on the solid, with a normal across it', () => {
    const onIt = (s: Solid, x: Vec3): number => {
      if (s.kind === 'ellipsoid') {
        const y = subtract(x, s.centre);
        return norm([0, 1, 2].map((k) => s.into[3 * k]! * y[0] + s.into[3 * k + 1]! * y[1] + s.into[3 * k + 2]! * y[2]) as never) - 1; // prettier-ignore
      }
      return 0;
    };
    for (const s of solids)
      for (let n = 0; n < 20; n++) {
        const towards = s.kind === 'ellipsoid' ? s.centre : s.kind === 'cylinder' ? add(s.from, scale(s.axis, s.length / 2)) : add(s.a, scale(add(s.ab, s.ac), 0.3)); // prettier-ignore
        const o = add(towards, scale(direction(random), 30));
        const d = normalize(subtract(towards, o));
        const t = meet(s, o, d, 0);
        if (t === Infinity) continue;
        const x = add(o, scale(d, t));
        expect(onIt(s, x)).toBeCloseTo(0, 6);
        const { normal } = surfaceAt(s, x, d);
        expect(norm(normal)).toBeCloseTo(1, 8);
        expect(normal[0] * d[0] + normal[1] * d[1] + normal[2] * d[2]).toBeLessThanOrEqual(1e-9);
      }
  });

  it('colours come back from linear light as they went in', () => {
    for (let v = 0; v < 256; v++) expect(Math.round(encoded(linear(v)))).toBe(v);
  });
});

describe('a traced picture', () => {
  it('of a ball is a disc of its size in the middle, the ground around it', () => {
    const out = whole(scene([atoms(atom([0, 0, 0], 2, '#cc2222'))]));
    let covered = 0;
    for (let i = 0; i < out.length; i += 4) if (out[i + 1]! < 200) covered++;
    expect(covered / (Math.PI * 20 * 20)).toBeCloseTo(1, 1);
    expect(pixel(out, 2, 2)).toEqual([255, 255, 255, 255]);
    const [r, g] = pixel(out, 60, 45);
    expect(r).toBeGreaterThan(2 * g!);
  });

  it('hides what is behind, lets half of it through where that is half clear, and leaves the ground clear if asked', () => {
    const far = atom([0, 0, -3], 2, '#2222cc');
    const blue = pixel(whole(scene([atoms(far)])), 60, 45);
    expect(pixel(whole(scene([atoms(far, atom([0, 0, 3], 1, '#cc2222'))])), 60, 45)[0]).toBeGreaterThan(120);
    const through = pixel(whole(scene([atoms(far, atom([0, 0, 3], 1, '#cc2222', 0.4))])), 60, 45);
    expect(through[2]).toBeLessThan(blue[2]!);
    expect(through[2]).toBeGreaterThan(60);
    const clear = whole(scene([atoms(far)]), { ...PLAIN, clear: true });
    expect(pixel(clear, 1, 1)[3]).toBe(0);
    expect(pixel(clear, 60, 45)[3]).toBe(255);
  });

  it('throws shadows away from the light, and darkens where things touch', () => {
    // The light comes from the upper left, nearly along the view: what it throws falls to the lower right.
    const wall: Layer = {
      kind: 'planes',
      name: 'model',
      items: [{ corners: [[-9, -9, -2], [9, -9, -2], [9, 9, -2], [-9, 9, -2]], colour: '#bbbbbb', opacity: 1 }],
    }; // prettier-ignore
    const layers = [atoms(atom([0, 0, 0], 1)), wall];
    const [lit, dark] = [whole(scene(layers), PLAIN), whole(scene(layers), { ...PLAIN, shadows: 1 })];
    const at = [72, 62] as const;
    expect(pixel(dark, ...at)[0]).toBeLessThan(pixel(lit, ...at)[0]! - 20);
    expect(pixel(dark, 8, 8)).toEqual(pixel(lit, 8, 8));
    const shaded = whole(scene(layers), { ...PLAIN, occlusion: 64 });
    expect(pixel(shaded, ...at)[0]).toBeLessThan(pixel(lit, ...at)[0]!);
  });

  it('is the same however it is cut into tiles', () => {
    const tracer = new Tracer(scene(clutter(seededRandom(9))), SIZE, { ...FULL, samples: 1 });
    const all = tracer.tile({ x: 0, y: 0, ...SIZE });
    for (const tile of [
      { x: 0, y: 0, width: 50, height: 40 },
      { x: 50, y: 40, width: 70, height: 50 },
    ]) {
      // prettier-ignore
      const part = tracer.tile(tile);
      for (let j = 0; j < tile.height; j++)
        for (let i = 0; i < 4 * tile.width; i++)
          expect(part[4 * tile.width * j + i]).toBe(all[4 * (tile.x + SIZE.width * (tile.y + j)) + i]);
    }
  });

  it('in perspective shows what is nearer larger', () => {
    const count = (z: number): number => {
      const out = whole(scene([atoms(atom([0, 0, z], 1, '#cc2222'))], { fieldOfView: 40, cue: 0 }));
      let n = 0;
      for (let i = 0; i < out.length; i += 4) if (out[i + 1]! < 200) n++;
      return n;
    };
    expect(count(3)).toBeGreaterThan(1.3 * count(0));
    expect(count(0)).toBeGreaterThan(1.3 * count(-3));
  });
});
