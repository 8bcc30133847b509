import { describe, expect, it } from 'vitest';
import { testCrystal } from '../../../demo/src/test-crystals.ts';
import { isHome, originalRef, placeKey } from '../crystal/atom-ref.ts';
import { metricTensor, orthogonalization } from '../crystal/cell.ts';
import { operatorsNear } from '../crystal/neighbours.ts';
import { spaceGroupFromSymbol } from '../crystal/settings.ts';
import { allOperators, groupOrder } from '../crystal/space-group.ts';
import type { Structure } from '../crystal/structure.ts';
import { bonds, connectedUnit, assembleAsymmetricUnit, fragments } from '../geometry/bonds.ts';
import { apply3, determinant3, norm } from '../math/matrix3.ts';
import { structureSchema } from '../tasks/schemas.ts';
import { decodeWire, encodeWire } from '../tasks/wire.ts';
import { buildLayers, buildScene, probabilityRadius } from './build-scene.ts';
import {
  bestRotation,
  extentPoints,
  fitCamera,
  lookAlong,
  panCamera,
  project,
  turnCamera,
  zoomCamera,
} from './camera.ts';
import { channels, mixColours, PAPER_COLOURS, shadeColour } from './colours.ts';
import { atomsOfExtent, atomsPerCell } from './extent.ts';
import { ghostLayers, selectionLayers } from './extra-layers.ts';
import { elementColour } from './palette.ts';
import { itemsOf, type Camera } from './scene.ts';
import type { StyleRule } from './style.ts';
import { paintSvg } from './svg.ts';
import { outlineOf } from './svg-atoms.ts';

const { structure: s } = testCrystal('CC(O)c1ccccc1Cl', 'P 1 21/c 1', 4);
const SIZE = { width: 400, height: 300 };
const ellipsoids: StyleRule = { which: { kind: 'all' }, style: { look: 'ellipsoids' } };
const layersOf = (t: Structure, ...rules: StyleRule[]) => buildScene(t, { rules, showCell: true }, SIZE).layers;

const salt: Structure = {
  cell: { a: 5.64, b: 5.64, c: 5.64, alpha: 90, beta: 90, gamma: 90 },
  spaceGroup: spaceGroupFromSymbol('F m -3 m'),
  sites: [
    ['Na1', 'Na', [0, 0, 0]],
    ['Cl1', 'Cl', [0.5, 0.5, 0.5]],
  ].map(([label, element, position]) => ({
    id: label as string,
    label: label as string,
    element: element as string,
    position: position as [number, number, number],
    occupancy: 1,
    displacement: { kind: 'iso' as const, u: 0.02 },
  })),
};

describe('the scene', () => {
  it('holds the unit, its bonds and the cell edges', () => {
    const layers = layersOf(s);
    expect(itemsOf(layers, 'atoms')).toHaveLength(s.sites.length);
    expect(itemsOf(layers, 'bonds')).toHaveLength(bonds(s).filter(isHome).length / 2);
    expect(itemsOf(layers, 'lines')).toHaveLength(12);
    expect(itemsOf(layers, 'lines').filter((l) => l.colour === PAPER_COLOURS.pine)).toHaveLength(1);
  });

  it('styles atoms by rules, the later ones winning', () => {
    const carbon = s.sites.filter((x) => x.element === 'C');
    const layers = layersOf(
      s,
      { which: { kind: 'element', elements: ['H'] }, style: { hidden: true } },
      { which: { kind: 'element', elements: ['C'] }, style: { colour: '#112233', opacity: 0.5 } },
      { which: { kind: 'site', sites: [carbon[0]!.id] }, style: { colour: '#445566' } },
      { which: { kind: 'copies' }, style: { hidden: true } },
    );
    const atoms = itemsOf(layers, 'atoms');
    expect(atoms.some((a) => a.element === 'H')).toBe(false);
    expect(atoms.filter((a) => a.colour === '#112233')).toHaveLength(carbon.length - 1);
    expect(atoms.find((a) => a.ref.site === carbon[0]!.id)).toMatchObject({ colour: '#445566', opacity: 0.5 });
    expect(itemsOf(layers, 'bonds').every((b) => atoms[b.atoms![0]] && atoms[b.atoms![1]])).toBe(true);
  });

  it('draws copies as solid as originals, and turned with their operator', () => {
    const t = { ...s, sites: s.sites.filter((x) => x.element !== 'H') };
    const wish = { extent: { kind: 'packed cell' as const }, rules: [ellipsoids] };
    const atoms = itemsOf(buildScene(t, wish, SIZE).layers, 'atoms').filter((a) => a.shape === 'ellipsoid');
    const site = atoms[0]!.ref.site;
    const family = atoms.filter((a) => a.ref.site === site);
    expect(family).toHaveLength(4);
    for (const a of family) {
      expect(a.colour).toBe(family[0]!.colour);
      a.axes.forEach((v, k) => expect(norm(v)).toBeCloseTo(norm(family[0]!.axes[k]!), 10));
      const box = determinant3([...a.axes[0], ...a.axes[1], ...a.axes[2]]);
      expect(Math.abs(box)).toBeCloseTo(norm(a.axes[0]) * norm(a.axes[1]) * norm(a.axes[2]), 8);
    }
  });

  it('draws ellipsoids of the probability asked for', () => {
    // Half of a three-dimensional normal distribution lies within 1.5382 σ (Johnson 1965).
    expect(probabilityRadius(0.5)).toBeCloseTo(1.5382, 4);
    expect(probabilityRadius(0.9)).toBeCloseTo(2.5003, 3);
    const sphere = { ...s, sites: [{ ...s.sites[0]!, displacement: { kind: 'iso' as const, u: 0.04 } }] };
    expect(norm(itemsOf(layersOf(sphere, ellipsoids), 'atoms')[0]!.axes[0])).toBeCloseTo(1.5382 * 0.2, 4);
    const impossible = {
      ...s,
      sites: [{ ...s.sites[0]!, displacement: { kind: 'aniso' as const, u: [0.03, -0.02, 0.03, 0, 0, 0] as const } }],
    };
    const [cube] = itemsOf(layersOf(impossible, ellipsoids), 'atoms');
    expect(cube).toMatchObject({ shape: 'cube', colour: PAPER_COLOURS.vermilion });
  });

  it('lays halos on selected copies and bonds ghosts within their group', () => {
    const layers = buildLayers(s, {
      extent: { kind: 'packed cell' },
      rules: [],
      showCell: false,
      labels: 'label',
      colours: PAPER_COLOURS,
    });
    const atoms = itemsOf(layers, 'atoms');
    const copy = atoms.find((a) => !isHome(a.ref) && a.element === 'O')!;
    const extra = selectionLayers(s, atoms, [copy.ref], PAPER_COLOURS);
    expect(itemsOf(extra, 'halos').map((h) => h.position)).toEqual([copy.position]);
    expect(itemsOf(extra, 'labels')[0]!.text).toBe(copy.label);
    const near = { positions: [[0, 0, 0] as const, [1.4, 0, 0] as const], elements: ['C', 'C'], colour: '#2b7f8c' };
    expect(itemsOf(ghostLayers(near), 'bonds')).toHaveLength(1);
    expect(itemsOf(ghostLayers({ ...near, groups: ['A.1', 'A.2'] }), 'bonds')).toHaveLength(0);
  });
});

describe('an extent', () => {
  const distances = (t: Structure, kind: Parameters<typeof atomsOfExtent>[1]): number[] => {
    const m = orthogonalization(t.cell);
    return itemsOf(buildScene(t, { extent: kind }, SIZE).layers, 'atoms').map((a) => norm(apply3(m, a.position)));
  };

  it('holds exactly the cell, or the cell closed at its faces', () => {
    expect(atomsPerCell(salt)).toBe(8);
    expect(atomsOfExtent(salt, { kind: 'cell' })).toHaveLength(8);
    // 8 corners + 6 faces + 12 edges + the middle.
    expect(atomsOfExtent(salt, { kind: 'closed cell' })).toHaveLength(27);
    expect(atomsOfExtent(salt, { kind: 'block', from: [0, 0, 0], to: [2, 1, 1] })).toHaveLength(45);
    expect(atomsOfExtent(s, { kind: 'cell' })).toHaveLength(s.sites.length * groupOrder(s.spaceGroup));
    expect(atomsOfExtent(s, { kind: 'packed cell' })).toHaveLength(s.sites.length * groupOrder(s.spaceGroup));
    expect(distances(salt, { kind: 'cell' })).toHaveLength(8);
  });

  it('names each place once, whatever hair its coordinates are off by', () => {
    const off = {
      ...salt,
      sites: salt.sites.map((x) => ({ ...x, position: x.position.map((v) => v - 1e-12) as never })),
    };
    expect(atomsOfExtent(off, { kind: 'cell' })).toHaveLength(8);
    expect(atomsOfExtent(off, { kind: 'closed cell' })).toHaveLength(27);
    const keys = atomsOfExtent(salt, { kind: 'closed cell' }).map((a) => placeKey(salt, a));
    expect(new Set(keys).size).toBe(27);
  });

  it('is a sphere around atoms or a slab between planes', () => {
    const around = [originalRef('Na1')];
    // Shells of halite: 1, 6 at a/2, 12 at a/√2, 8 at a√3/2.
    expect(atomsOfExtent(salt, { kind: 'sphere', around, radius: 0.51 * 5.64 })).toHaveLength(7);
    expect(atomsOfExtent(salt, { kind: 'sphere', around, radius: 0.88 * 5.64 })).toHaveLength(27);
    expect(atomsOfExtent(salt, { kind: 'sphere', around: [originalRef('gone')], radius: 5 })).toEqual([]);
    const layer = atomsOfExtent(salt, { kind: 'slab', plane: [0, 0, 1], from: -0.1, to: 0.1, radius: 0.51 * 5.64 });
    expect(layer).toHaveLength(5);
    const m = orthogonalization(salt.cell);
    const diagonal = atomsOfExtent(salt, { kind: 'slab', plane: [1, 1, 1], from: -0.05, to: 0.05, radius: 4.2 });
    // Only one kind of ion lies in the plane through the origin: 1 + 6 at a/√2.
    expect(diagonal.map((a) => a.site)).toEqual(Array.from({ length: 7 }, () => 'Na1'));
    expect(m[0]).toBeCloseTo(5.64, 12);
    expect(() => atomsOfExtent(salt, { kind: 'slab', plane: [0, 0, 0], from: 0, to: 1, radius: 5 })).toThrow(/is none/);
    expect(() => atomsOfExtent(salt, { kind: 'block', from: [0, 0, 0], to: [90, 90, 90] })).toThrow(/smaller part/);
  });

  it('leaves out of a list what is no longer in the model', () => {
    const list = [originalRef('Na1'), originalRef('gone'), originalRef('Na1')];
    expect(atomsOfExtent(salt, { kind: 'list', atoms: list })).toEqual([originalRef('Na1')]);
  });
});

describe('the camera', () => {
  const camera: Camera = { rotation: [1, 0, 0, 0, 1, 0, 0, 0, 1], target: [1, 2, 3], scale: 0.02 };

  it('projects, pans, zooms and turns', () => {
    expect(project(camera, SIZE, [1, 2, 3])).toEqual({ x: 200, y: 150, depth: 0 });
    expect(project(camera, SIZE, [2, 3, 4])).toEqual({ x: 250, y: 100, depth: 1 });
    const moved = project(panCamera(camera, 10, -4), SIZE, [1, 2, 3]);
    expect(moved.x).toBeCloseTo(210, 9);
    expect(moved.y).toBeCloseTo(146, 9);
    expect(zoomCamera(camera, 2).scale).toBeCloseTo(0.01, 12);
    let turned = camera;
    for (let i = 0; i < 400; i++) turned = turnCamera(turned, { up: 0.3, right: -0.2, sight: 0.1 });
    expect(determinant3(turned.rotation)).toBeCloseTo(1, 12);
    const right = turnCamera(camera, { up: Math.PI / 2 });
    // What faced the viewer faces right.
    expect(project(right, SIZE, [1, 2, 4]).x).toBeCloseTo(250, 9);
  });

  it('looks along a direction, whatever is up', () => {
    const r = lookAlong(camera, [0, 3, 0], [0, 0, 1]).rotation;
    expect([r[6], r[7], r[8]]).toEqual([0, 1, 0]);
    expect(r[5]).toBeCloseTo(1, 12);
    expect(determinant3(lookAlong(camera, [0, 0, 2], [0, 0, 5]).rotation)).toBeCloseTo(1, 12);
  });

  it('holds everything within the margins', () => {
    const points = extentPoints(layersOf(s));
    const rotation = bestRotation(itemsOf(layersOf(s), 'atoms').map((a) => a.position));
    const margins = { left: 30, right: 90, top: 10, bottom: 60 };
    const fitted = fitCamera(points, rotation, SIZE, margins);
    const on = points.map((p) => ({ ...project(fitted, SIZE, p.at), r: p.radius / fitted.scale }));
    expect(Math.min(...on.map((p) => p.x - p.r))).toBeGreaterThan(29.9);
    expect(Math.max(...on.map((p) => p.x + p.r))).toBeLessThan(SIZE.width - 89.9);
    expect(Math.min(...on.map((p) => p.y - p.r))).toBeGreaterThan(9.9);
    expect(Math.max(...on.map((p) => p.y + p.r))).toBeLessThan(SIZE.height - 59.9);
    expect(rotation[0] * rotation[3] + rotation[1] * rotation[4] + rotation[2] * rotation[5]).toBeCloseTo(0, 10);
  });
});

describe('the vector painter', () => {
  it('paints every atom, principal ellipses and cell edges', () => {
    const plain = paintSvg(buildScene(s, {}, SIZE), SIZE);
    expect(plain.match(/<circle/g)).toHaveLength(s.sites.length);
    expect(plain).toContain(elementColour('Cl'));
    const rules = [ellipsoids, { which: { kind: 'element' as const, elements: ['H'] }, style: { hidden: true } }];
    const rich = buildScene(s, { rules, showCell: true, labels: 'label' }, SIZE);
    const svg = paintSvg(rich, SIZE, { ground: true, title: 'A <test>' });
    expect(svg.match(/<ellipse/g)).toHaveLength(itemsOf(rich.layers, 'atoms').length);
    // Three arcs of two quarters each per ellipsoid.
    expect(svg.match(/<path d="M[^"]*C[^"]*"/g)).toHaveLength(itemsOf(rich.layers, 'atoms').length);
    expect(svg).toContain('<title>A &lt;test&gt;</title>');
    expect(svg).toContain('>Cl1</text>');
    expect(svg).not.toMatch(/NaN|undefined|Infinity/);
  });

  it('finds the outline of an ellipsoid as the largest reach of its surface', () => {
    const axes = [
      [0.3, 0.1, 0.05],
      [-0.06, 0.2, 0.1],
      [0.02, -0.03, 0.12],
    ] as const;
    const { major, minor, angle } = outlineOf(axes);
    const reach = (t: number): number => {
      const d = [Math.cos(t), Math.sin(t), 0] as const;
      return Math.hypot(...axes.map((v) => v[0] * d[0] + v[1] * d[1]));
    };
    const all = Array.from({ length: 3600 }, (_, i) => reach((i * Math.PI) / 3600));
    expect(major).toBeCloseTo(Math.max(...all), 6);
    expect(minor).toBeCloseTo(Math.min(...all), 6);
    // On the page y runs down, so the angle is clockwise.
    expect(reach((-angle * Math.PI) / 180)).toBeCloseTo(major, 9);
  });

  it('mixes and shades colours', () => {
    expect(mixColours('#000000', '#ffffff', 0.5)).toBe('#808080');
    expect(shadeColour('#804020', 0.5)).toBe('#402010');
    expect(channels('#0a0B0c')).toEqual([10, 11, 12]);
    expect(() => channels('red')).toThrow(/#rrggbb/);
  });
});

describe('connected units', () => {
  it('are found and put back together near the middle of the cell', () => {
    const operators = allOperators(s.spaceGroup),
      g = metricTensor(s.cell);
    // The molecule is torn apart by moving every other site to a copy.
    const torn = {
      ...s,
      sites: s.sites.map((x, i) =>
        i % 2 ? { ...x, position: operatorsNear([operators[1]!], g, x.position, [0.1, 0.1, 0.1]).moved } : x,
      ),
    };
    const whole = assembleAsymmetricUnit(torn);
    expect(fragments(whole)).toHaveLength(1);
    expect(itemsOf(layersOf(whole), 'bonds')).toHaveLength(itemsOf(layersOf(s), 'bonds').length);
    const centre = [0, 1, 2].map((k) => whole.sites.reduce((t, x) => t + x.position[k]!, 0) / whole.sites.length);
    centre.forEach((c) => expect(Math.abs(c - 0.5)).toBeLessThan(0.51));
    expect(connectedUnit(s, bonds(s), originalRef(s.sites[0]!.id))).toHaveLength(s.sites.length);
  });
});

it('the wire keeps typed arrays, NaN and the shape of a structure', () => {
  const value = {
    a: Float64Array.of(1, NaN, Infinity),
    b: Int16Array.of(-3, 4),
    c: NaN,
    d: [1, { e: Uint16Array.of(7) }],
  };
  const back = decodeWire(encodeWire(value)) as typeof value;
  expect(back).toEqual(value);
  expect(back.a).toBeInstanceOf(Float64Array);
  expect(structureSchema.safeParse(decodeWire(encodeWire(s))).success).toBe(true);
  expect(structureSchema.safeParse({ cell: 1 }).success).toBe(false);
});
