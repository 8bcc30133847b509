import { describe, expect, it } from 'vitest';
import { add, apply3, norm, normalize, scale, subtract, type Vec3 } from '../math/matrix3.ts';
import { seededRandom, type Random } from '../math/random.ts';
import { ball } from './balls.ts';
import { BoxTree } from './ray-boxes.ts';
import { encoded, linear, meet, solidsOf, surfaceAt, type Solid } from './ray-solids.ts';
import { FULL, fullOptions, PREVIEW, Tracer } from './ray-trace.ts';
import { LIFT, ScreenBoxes, Trail } from './ray-trail.ts';
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

  /** Everything along a ray, by asking every solid again and again: index and length of each meeting. */
  function allAlong(o: Vec3, d: Vec3): { i: number; t: number }[] {
    const met = solids.flatMap((s, i) => {
      const list: { i: number; t: number }[] = [];
      for (let t = meet(s, o, d, 0); t < Infinity; t = meet(s, o, d, t + LIFT)) list.push({ i, t });
      return list;
    });
    return met.sort((p, q) => p.t - q.t);
  }

  it('lets through what every solid lets through, by the tree of boxes', () => {
    const tree = new BoxTree(solids);
    let dark = 0,
      dimmed = 0;
    for (let n = 0; n < 3000; n++) {
      const o: Vec3 = [6 * random.normal(), 6 * random.normal(), 6 * random.normal()];
      const d = direction(random);
      const most = random.next() < 0.5 ? 3 : Infinity;
      const light = solids.reduce((left, s) => (meet(s, o, d, 0) < most ? left * (1 - s.opacity) : left), 1);
      expect(tree.through(...o, ...d, 0, most)).toBeCloseTo(light, 12);
      if (!light) dark++;
      else if (light < 1) dimmed++;
    }
    expect(dark).toBeGreaterThan(100);
    expect(dimmed).toBeGreaterThan(50);
  });

  it('is in order along the rays of a picture, up to what hides the rest, in parallel and in perspective', () => {
    const tree = new BoxTree(solids);
    const { rows } = tree;
    for (const distance of [Infinity, 30]) {
      const eye = { perPixel: 0.1, size: SIZE, distance };
      const screen = new ScreenBoxes(rows, eye);
      const trail = new Trail(rows, screen, eye);
      let met = 0;
      for (let n = 0; n < 1000; n++) {
        const [px, py] = [SIZE.width * random.next(), SIZE.height * random.next()];
        trail.follow(screen.within(screen.all, px - 4, py - 4, px + 4, py + 4), px, py);
        const o: Vec3 = [trail.ox, trail.oy, trail.oz];
        const d: Vec3 = [trail.dx, trail.dy, trail.dz];
        const plain = allAlong(o, d);
        const hidden = plain.findIndex(({ i }) => solids[i]!.opacity >= 1);
        const seen = hidden < 0 ? plain : plain.slice(0, hidden + 1);
        const found = [...trail.lengths.slice(0, trail.count)];
        expect(found.length).toBe(seen.length);
        found.forEach((t, k) => {
          expect(t).toBeCloseTo(seen[k]!.t, 9);
          expect(rows.solids[trail.solids[k]!]).toBe(solids[seen[k]!.i]);
        });
        met += found.length;
      }
      expect(met).toBeGreaterThan(500);
    }
  });

  it('of an open ellipsoid is its first point, however it is cut', () => {
    const one = clutter(seededRandom(5)).flatMap((l) => (l.kind === 'atoms' ? l.items : [])).find((a) => a.shape === 'ellipsoid')!; // prettier-ignore
    const [open] = solidsOf(scene([atoms({ ...one, shape: 'open ellipsoid' })]), SIZE);
    if (open?.kind !== 'ellipsoid' || !open.open) throw new Error('The ellipsoid is not open.');
    const { into, centre, open: signs } = open;
    /** Whether a point belongs to it, by its definition. */
    const holds = (x: Vec3): boolean => {
      const u = apply3(into, subtract(x, centre));
      return norm(u) <= 1 && !u.every((v, k) => v * signs[k]! > 0);
    };
    const STEP = 2e-3;
    let cuts = 0;
    for (let n = 0; n < 400; n++) {
      const o = add(centre, scale(direction(random), 2));
      const d = normalize(subtract(add(centre, scale(direction(random), 0.6 * random.next())), o));
      let first = 0;
      while (first < 4 && !holds(add(o, scale(d, first)))) first += STEP;
      const t = meet(open, o, d, 0);
      if (first >= 4) {
        // What is grazed between two steps may be missed by the steps.
        if (t < Infinity) expect(holds(add(o, scale(d, t + 0.1)))).toBe(false);
        continue;
      }
      expect(Math.abs(t - first)).toBeLessThan(2 * STEP);
      const u = apply3(into, subtract(add(o, scale(d, t)), centre));
      if (norm(u) < 0.99) cuts++;
    }
    expect(cuts).toBeGreaterThan(10);
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

  it('looks the same whether neighbours share their light or every pixel sends all of its rays', () => {
    const floor: Layer = {
      kind: 'planes',
      name: 'model',
      items: [{ corners: [[-9, -9, -2], [9, -9, -2], [9, 9, -2], [-9, 9, -2]], colour: '#bbbbbb', opacity: 1 }],
    }; // prettier-ignore
    const s = scene([atoms(atom([0, 0, 0], 1), atom([2, 1, -1], 0.8, '#cc4422')), floor]);
    const own = whole(s, { ...FULL, shadows: 64, occlusion: 64, shared: 1 });
    for (const options of [FULL, fullOptions(4000)]) {
      const shared = whole(s, options);
      const off = own.map((v, i) => Math.abs(v - shared[i]!));
      expect(off.reduce((sum, v) => sum + v, 0) / off.length).toBeLessThan(1.5);
      expect(off.filter((v) => v > 24).length / off.length).toBeLessThan(0.01);
    }
  });

  it('of glass shows what is behind in the middle of a ball and hides it at the rim', () => {
    const s = scene([atoms(atom([0, 0, 0], 2, '#2244cc'), atom([0, 0, -6], 3.9, '#cc2222'))]);
    const out = whole(s, { ...PLAIN, finish: 'glass' });
    const redness = ([r, , b]: number[]): number => r! / (r! + b!);
    expect(redness(pixel(out, 60, 45))).toBeGreaterThan(redness(pixel(out, 60 + 19, 45)) + 0.05);
    const solid = whole(s, PLAIN);
    expect(redness(pixel(out, 60, 45))).toBeGreaterThan(redness(pixel(solid, 60, 45)) + 0.1);
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
