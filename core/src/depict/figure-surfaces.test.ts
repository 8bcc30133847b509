import { describe, expect, it } from 'vitest';
import { porousFramework } from '../../../demo/src/structures.ts';
import { testCrystal } from '../../../demo/src/test-crystals.ts';
import { SurfaceSearch } from '../contacts/molecule-surface.ts';
import { positionOf, siteOf } from '../crystal/atom-ref.ts';
import { POTENTIAL_PARTS } from '../crystal/atom-potentials.ts';
import { orthogonalization } from '../crystal/cell.ts';
import { elementOf } from '../crystal/elements.ts';
import type { AtomPotentials } from '../crystal/form-factors.ts';
import { itemsOf, type SurfacePrimitive } from '../draw/scene.ts';
import { bonded } from '../geometry/bonding-proposal.ts';
import { DENSITY_REACH } from '../maps/map-surfaces.ts';
import { MAP_KINDS } from '../maps/residual.ts';
import {
  add,
  apply3,
  cross,
  dot,
  inverse3,
  norm,
  normalize,
  scale,
  subtract,
  transpose3,
  type Vec3,
} from '../math/matrix3.ts';
import { voidNetwork } from '../space/network.ts';
import { figureSchema } from '../tasks/figure-schemas.ts';
import { drawingTask } from '../tasks/figure-tasks.ts';
import { drawFigure } from './draw-figure.ts';
import type { FigureFields, FigureSurface } from './figure-surfaces.ts';
import { figureSvg } from './page.ts';
import { figureFrom } from './templates.ts';

const { structure } = testCrystal('CC(=O)Nc1ccc(O)cc1', 'P 21/c', 3);
const s = bonded(structure);

const look = { id: 'x', colour: '#2b7f8c', opacity: 0.5 };
const withSurfaces = (...surfaces: FigureSurface[]) => {
  const figure = figureFrom(s, 'first look');
  return { ...figure, drawings: figure.drawings.map((d) => ({ ...d, surfaces })) };
};
const drawn = (surface: FigureSurface, maps: FigureFields = {}) => {
  const figure = withSurfaces(surface);
  return drawFigure(figure, s, [], { [figure.drawings[0]!.id]: maps });
};
const surfacesOf = (surface: FigureSurface, maps?: FigureFields): readonly SurfacePrimitive[] =>
  itemsOf(drawn(surface, maps).scenes[0]!.layers, 'surfaces');
const corners = ({ positions }: SurfacePrimitive): Vec3[] =>
  Array.from({ length: positions.length / 3 }, (_, i) => [...positions.subarray(3 * i, 3 * i + 3)] as never);

/** A wave along a, which is known everywhere. */
const grid = { nx: 60, ny: 20, nz: 30 };
const wave = Float32Array.from({ length: grid.nx * grid.ny * grid.nz }, (_, i) =>
  Math.cos((4 * Math.PI * (i % grid.nx)) / grid.nx),
);
const density: FigureSurface = {
  ...look,
  kind: 'map',
  map: 'difference',
  level: 0.5,
  below: '#c8452b',
};

describe('density in a figure', () => {
  const maps = { difference: { grid, values: wave } };
  const [above, below] = surfacesOf(density, maps);
  const inverse = inverse3(orthogonalization(s.cell));

  it('lies where the map has its level, and where it has minus that, in two colours', () => {
    for (const [surface, level] of [
      [above!, 0.5],
      [below!, -0.5],
    ] as const) {
      // prettier-ignore
      const places = corners(surface);
      expect(places.length).toBeGreaterThan(50);
      for (const p of places) expect(Math.cos(4 * Math.PI * apply3(inverse, p)[0])).toBeCloseTo(level, 1);
    }
    expect(above!.colour).not.toBe(below!.colour);
  });

  it('keeps near to the atoms that are drawn', () => {
    const atoms = itemsOf(drawn(density, maps).scenes[0]!.layers, 'atoms', 'model');
    for (const p of corners(above!))
      expect(Math.min(...atoms.map((a) => norm(subtract(a.position, p))))).toBeLessThanOrEqual(DENSITY_REACH);
  });

  it('has one side where that alone is wanted, and is left out without its map', () => {
    const { below: _, ...rest } = density as Extract<FigureSurface, { kind: 'map' }>;
    expect(surfacesOf(rest, maps)).toHaveLength(1);
    expect(surfacesOf(density)).toHaveLength(0);
  });
});

describe('surfaces of a molecule in a figure', () => {
  it('its own has the area and the shades that it has at Relate', () => {
    const [skin] = surfacesOf({ ...look, kind: 'molecule', by: 'density', painted: 'closeness' });
    const search = new SurfaceSearch(s);
    const made = search.of(search.indexOf(undefined), 'density');
    expect([...skin!.positions]).toEqual([...made.positions]);
    expect(skin!.shades).toHaveLength(made.positions.length);
    // Near is gold: more red than blue; far is indigo.
    const nearest = made.closeness.indexOf(Math.min(...made.closeness)),
      farthest = made.closeness.indexOf(Math.max(...made.closeness));
    const warmth = (i: number): number => skin!.shades![3 * i]! - skin!.shades![3 * i + 2]!;
    expect(warmth(nearest)).toBeGreaterThan(warmth(farthest) + 40);
  });

  it('its wishes shrink as more of the best place is asked for', () => {
    const reach = (share: number): number =>
      surfacesOf({ ...look, kind: 'wishes', probe: 'donor', share }).reduce((n, x) => n + x.positions.length, 0);
    expect(reach(0.9)).toBeGreaterThan(0);
    expect(reach(0.3)).toBeGreaterThan(2 * reach(0.9));
  });

  it('outlive a molecule that is not there any more', () => {
    const gone = { site: 'nobody', operator: 0, shift: [0, 0, 0] as Vec3 };
    expect(surfacesOf({ ...look, kind: 'molecule', by: 'distance', of: gone })).toHaveLength(1);
  });
});

it('empty space is drawn where a probe fits, and nothing where none does', { tags: 'long' }, () => {
  const voids = (probe: number) => surfacesOf({ ...look, kind: 'voids', probe });
  expect(voids(0.5)[0]!.positions.length).toBeGreaterThan(100);
  expect(voids(3)).toHaveLength(0);
  // In two cells there is twice as much of it.
  const within = (cells: number): number => {
    const figure = withSurfaces({ ...look, kind: 'voids', probe: 0.5 });
    const extent = { kind: 'block' as const, from: [0, 0, 0] as const, to: [cells, 1, 1] as const };
    const blocks = { ...figure, drawings: figure.drawings.map((d) => ({ ...d, extent })) };
    return itemsOf(drawFigure(blocks, s, []).scenes[0]!.layers, 'surfaces')[0]!.positions.length;
  };
  expect(within(2) / within(1)).toBeCloseTo(2, 0);
});

it('surfaces go through the schema of figures and into the vector file', () => {
  const wished = withSurfaces(density, { ...look, kind: 'wishes', probe: 'acceptor', share: 0.5 });
  expect(figureSchema.parse(JSON.parse(JSON.stringify(wished)))).toEqual(wished);
  const { figure, scenes } = drawn({ ...look, kind: 'molecule', by: 'distance' });
  const count = (text: string): number => text.split('<path').length + text.split('<polygon').length;
  const bare = drawFigure(figureFrom(s, 'first look'), s);
  expect(count(figureSvg(figure, scenes))).toBeGreaterThan(count(figureSvg(bare.figure, bare.scenes)) + 100);
});

describe('the shape of the crystal in a figure', () => {
  const shape = (part: Partial<Extract<FigureSurface, { kind: 'shape' }>> = {}): FigureSurface => ({
    ...look,
    kind: 'shape',
    by: 'spacings',
    edges: true,
    names: true,
    ...part,
  });
  const bodyOf = (surface: FigureSurface) => itemsOf(drawn(surface).scenes[0]!.layers, 'polyhedra', 'faces')[0]!;

  it('stands around the cell, its faces as they lie in the crystal', () => {
    for (const by of ['spacings', 'energies'] as const) {
      const { vertices, faces } = bodyOf(shape({ by }));
      const m = orthogonalization(s.cell);
      for (const ring of faces) {
        const a = vertices[ring[0]!]!;
        // Of all corners, since some of them may lie next to one another.
        const out = ring.reduce<Vec3>(
          (sum, i, n) => {
            const [p, q] = [subtract(vertices[i]!, a), subtract(vertices[ring[(n + 1) % ring.length]!]!, a)];
            return add(sum, cross(p, q));
          },
          [0, 0, 0],
        );
        // Every corner of the cell lies beneath every face.
        for (let n = 0; n < 8; n++)
          expect(dot(out, subtract(apply3(m, [n & 1, (n >> 1) & 1, n >> 2]), a))).toBeLessThan(1e-9 + norm(out));
        // The normal is a row of the reciprocal lattice: its indices are whole up to a factor.
        const hkl = [0, 1, 2].map((k) => dot(out, [m[k]!, m[3 + k]!, m[6 + k]!]));
        const most = Math.max(...hkl.map(Math.abs));
        // Small indices: over the largest, sixths.
        for (const x of hkl) expect(Math.abs((6 * x) / most - Math.round((6 * x) / most))).toBeLessThan(1e-4);
      }
    }
  });

  it('names only the faces that are turned to the viewer', () => {
    const named = drawn(shape());
    const names = itemsOf(named.scenes[0]!.layers, 'labels').filter((l) => l.normal);
    const svg = figureSvg(named.figure, named.scenes);
    const seen = names.filter((l) => svg.includes(l.text.replace(/ /g, ' ')));
    expect(seen.length).toBeGreaterThan(0);
    expect(seen.length).toBeLessThan(names.length);
    expect(itemsOf(drawn(shape({ names: false })).scenes[0]!.layers, 'labels').some((l) => l.normal)).toBe(false);
    expect(bodyOf(shape({ edges: false })).edgeWidth).toBe(0);
  });

  it('by given faces is theirs alone, or with what the class makes of them; where they do not close there is none', () => {
    const given = [
      { hkl: [1, 0, 0], distance: 2 },
      { hkl: [0, 1, 0], distance: 1 },
      { hkl: [0, 0, 1], distance: 1 },
    ] as const;
    const all = [...given, ...given.map(({ hkl, distance }) => ({ hkl: scale(hkl, -1), distance }))];
    // 2/m makes (−1 0 0) and so on of each.
    expect(bodyOf(shape({ by: 'faces', given })).faces).toHaveLength(6);
    expect(bodyOf(shape({ by: 'faces', given: all, complete: false })).faces).toHaveLength(6);
    expect(bodyOf(shape({ by: 'faces', given, complete: false }))).toBeUndefined();
    const { vertices } = bodyOf(shape({ by: 'faces', given: all, complete: false }));
    const m = orthogonalization(s.cell);
    const toReciprocal = transpose3(inverse3(m));
    const across = (hkl: Vec3): number => {
      const along = vertices.map((v) => dot(normalize(apply3(toReciprocal, hkl)), v));
      return Math.max(...along) - Math.min(...along);
    };
    expect(across([1, 0, 0]) / across([0, 1, 0])).toBeCloseTo(2, 6);
    expect(across([0, 1, 0]) / across([0, 0, 1])).toBeCloseTo(1, 6);
  });

  it('goes with the figure’s file', () => {
    expect(figureSchema.parse(withSurfaces(shape())).drawings[0]!.surfaces).toEqual([shape()]);
  });
});

describe('the potential on a surface in a figure', () => {
  const painted: FigureSurface = { ...look, kind: 'molecule', by: 'density', painted: 'potential' };
  /** Atoms with charges of their own, oxygens negative, hydrogens positive: √4π (q − Z) for all radii. */
  const charge = (element: string): number => ({ O: -0.9, H: 0.2 })[element] ?? 0;
  const potentials: AtomPotentials = {
    sites: s.sites.map((x) => x.id),
    radii: s.sites.map(() => Float64Array.of(0.01, 50)),
    parts: s.sites.map(({ element }) => {
      const parts = new Float64Array(2 * POTENTIAL_PARTS);
      parts[0] = parts[POTENTIAL_PARTS] = Math.sqrt(4 * Math.PI) * (charge(element) - elementOf(element).z);
      return parts;
    }),
  };

  it('is vermilion about oxygens and indigo elsewhere', () => {
    const [surface] = surfacesOf(painted, { potentials });
    const { positions, shades } = surface!;
    const m = orthogonalization(s.cell);
    const { atoms } = new SurfaceSearch(s).crystal.molecules[0]!;
    const places = atoms.map((a) => ({ at: apply3(m, positionOf(s, a)), element: siteOf(s, a)!.element }));
    const redness = { O: [] as number[], H: [] as number[] };
    for (let i = 0; i < positions.length / 3; i++) {
      const v = [...positions.subarray(3 * i, 3 * i + 3)] as unknown as Vec3;
      const nearest = places.reduce((p, q) => (norm(subtract(q.at, v)) < norm(subtract(p.at, v)) ? q : p));
      if (nearest.element === 'O' || nearest.element === 'H')
        redness[nearest.element].push(shades![3 * i]! - shades![3 * i + 2]!);
    }
    const mean = (x: readonly number[]): number => x.reduce((p, q) => p + q, 0) / x.length;
    expect(mean(redness.O)).toBeGreaterThan(40);
    expect(mean(redness.H)).toBeLessThan(mean(redness.O) - 60);
  });

  it('is how near others are where atoms have none', () => {
    const shadesOf = (surface: FigureSurface, fields = {}) => [...surfacesOf(surface, fields)[0]!.shades!];
    const near = shadesOf({ ...painted, painted: 'closeness' });
    expect(shadesOf(painted)).toEqual(near);
    expect(shadesOf(painted, { potentials: { ...potentials, sites: ['gone'] } })).toEqual(near);
    expect(shadesOf(painted, { potentials })).not.toEqual(near);
  });

  it('passes the door with maps of every kind', () => {
    const input = {
      structure: s,
      drawing: withSurfaces(painted).drawings[0],
      style: { palette: 'x', ground: '#ffffff' },
      definitions: [],
      maps: { potentials, ...Object.fromEntries(MAP_KINDS.map((k) => [k, { grid, values: wave }])) },
    };
    expect(drawingTask.input.safeParse(input).error).toBeUndefined();
  });
});

describe('chambers and ways in a figure', () => {
  const ways: FigureSurface = { ...look, kind: 'ways', probe: 1.2, tubes: '#aa7711' };
  const framework = porousFramework();
  const layersOf = (cells: number) => {
    const figure = withSurfaces(ways);
    const drawings = figure.drawings.map((d) => ({
      ...d,
      extent: { kind: 'block' as const, from: [0, 0, 0] as const, to: [cells, 1, 1] as const },
    }));
    return drawFigure({ ...figure, drawings }, framework, []).scenes[0]!.layers;
  };

  it('are balls of one colour and tubes of another, as wide as what passes', { tags: 'long' }, () => {
    const { chambers, ways: found } = voidNetwork(framework, { probe: 1.2 });
    const layers = layersOf(1);
    const balls = itemsOf(layers, 'atoms', 'pores');
    const tubes = itemsOf(layers, 'bonds', 'pores');
    expect(tubes).toHaveLength(2 * found.length);
    expect(balls.length).toBeGreaterThan(chambers.length);
    const [widest, window] = [chambers, found].map((list) => Math.max(...list.map((x) => x.diameter)));
    const largest = Math.max(...balls.map((b) => b.axes[0][0]));
    expect(largest / Math.max(...tubes.map((t) => t.radius))).toBeCloseTo(widest! / window!, 6);
    expect(new Set(balls.map((b) => b.colour))).toEqual(new Set([look.colour]));
    expect(new Set(tubes.flatMap((t) => t.colours))).toEqual(new Set(['#aa7711']));
  });

  it('go through every cell that is drawn, each chamber once', () => {
    const [one, two] = [layersOf(1), layersOf(2)];
    expect(itemsOf(two, 'bonds', 'pores')).toHaveLength(2 * itemsOf(one, 'bonds', 'pores').length);
    const places = itemsOf(two, 'atoms', 'pores').map((b) => b.position.map((x) => x.toFixed(3)).join());
    expect(new Set(places).size).toBe(places.length);
  });

  it('go with the figure’s file', () => {
    expect(figureSchema.parse(withSurfaces(ways)).drawings[0]!.surfaces).toEqual([ways]);
  });
});

describe('both sides of a surface', () => {
  it('have their colours in the vector file', { tags: 'long' }, () => {
    const voids: FigureSurface = { ...look, colour: '#aa7711', kind: 'voids', probe: 0.6 };
    const [item] = surfacesOf(voids);
    expect(item!.inside).toBeDefined();
    expect(item!.inside).not.toBe(item!.colour);
    const { figure, scenes } = drawn(voids);
    const plain = scenes.map((x) => ({
      ...x,
      layers: x.layers.map((l) =>
        l.kind === 'surfaces' ? { ...l, items: l.items.map(({ inside: _, ...rest }) => rest) } : l,
      ),
    }));
    expect(figureSvg(figure, scenes)).not.toBe(figureSvg(figure, plain));
  });
});
