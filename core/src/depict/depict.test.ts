import { describe, expect, it } from 'vitest';
import { tunnelOxide } from '../../../demo/src/structures.ts';
import { testCrystal } from '../../../demo/src/test-crystals.ts';
import { spaceGroupFromSymbol } from '../crystal/settings.ts';
import { seededRandom } from '../math/random.ts';
import { originalRef, positionOf, refKey } from '../crystal/atom-ref.ts';
import { orthogonalization } from '../crystal/cell.ts';
import { contrastOf, legibleOn, LEGIBLE } from '../draw/colours.ts';
import type { Structure } from '../crystal/structure.ts';
import { itemsOf, shownEnds } from '../draw/scene.ts';
import { bonded } from '../geometry/bonding-proposal.ts';
import { apply3, norm, turn, toMat3, type Mat3, type Vec3 } from '../math/matrix3.ts';
import { figureSchema } from '../tasks/figure-schemas.ts';
import { annotationShapes, dimensionWords, flatHull, outlinePath } from './annotations.ts';
import { drawFigure, drawnLayers } from './draw-figure.ts';
import { figureColours } from './drawing-wish.ts';
import { laidOut, PIXELS_PER_MM, panelBoxes, stereoPair, turnedAbout, withView, type Figure } from './figure.ts';
import { labelShapes } from './label-shapes.ts';
import { freeLegendPlace, legendEntries, legendShapes } from './legend.ts';
import { figureSvg } from './page.ts';
import { PALETTES, paletteColours } from './palettes.ts';
import { fittedView, onPage, sizeOfPanel } from './panel-scene.ts';
import { chosenWords, doesWords } from './rule-words.ts';
import { parseRuns, roughWidth, widthOfRuns, type Shape, type TextShape } from './shapes.ts';
import { figureFrom, newRule, TEMPLATES } from './templates.ts';

const oxide = bonded(tunnelOxide());
const { structure: plain } = testCrystal('CC(=O)Nc1ccc(O)cc1', 'P 21/c', 3);
const molecule = bonded(plain);
const source = seededRandom(11);
const random = (): number => source.next();
const anyRotation = (): Mat3 => {
  const axis: Vec3 = [random() - 0.5, random() - 0.5, random() - 0.5];
  const angle = 6 * random();
  const columns = (
    [
      [1, 0, 0],
      [0, 1, 0],
      [0, 0, 1],
    ] as Vec3[]
  ).map((v) => turn(v, axis, angle));
  return toMat3([0, 1, 2].flatMap((r) => columns.map((c) => c[r]!)));
};
const isText = (s: Shape): s is TextShape => s.kind === 'text';
const boxOf = (t: TextShape) => {
  const w = widthOfRuns(t.runs, t.size, roughWidth);
  return { x0: t.x, x1: t.x + w, y0: t.y - 0.5 * t.size, y1: t.y + 0.5 * t.size };
};

describe('templates', () => {
  it.each(TEMPLATES.map((t) => t.id))('%s makes a figure that its own schema takes and that can be drawn', (id) => {
    for (const s of [oxide, molecule]) {
      const figure = figureFrom(s, id);
      expect(figureSchema.parse(figure)).toEqual(figure);
      const drawn = drawFigure(figure, s);
      expect(drawn.figure.panels.every((p) => p.view.scale > 0)).toBe(true);
      for (const scene of drawn.scenes) {
        expect(itemsOf(scene.layers, 'atoms', 'model').length).toBeGreaterThan(0);
        // Everything fits into its panel.
        const size = sizeOfPanel(scene.panel);
        for (const a of itemsOf(scene.layers, 'atoms', 'model')) {
          const at = onPage(drawn.figure, { ...scene.panel, box: { ...scene.panel.box, x: 0, y: 0 } }, a.position);
          expect(at.x).toBeGreaterThan(0);
          expect(at.x).toBeLessThan(size.width);
          expect(at.y).toBeGreaterThan(0);
          expect(at.y).toBeLessThan(size.height);
        }
      }
    }
  });

  it('along the channel look down the hexagonal tunnels, and from the side', () => {
    const { figure } = drawFigure(figureFrom(oxide, 'channel'), oxide);
    const [end, side] = figure.panels;
    const c = apply3(orthogonalization(oxide.cell), [0, 0, 1]);
    const depth = (r: Mat3): number => Math.abs(r[6] * c[0] + r[7] * c[1] + r[8] * c[2]) / norm(c);
    expect(depth(end!.view.rotation)).toBeCloseTo(1, 6);
    expect(depth(side!.view.rotation)).toBeLessThan(0.3);
  });
});

describe('rules', () => {
  const figure = figureFrom(oxide, 'polyhedra');
  const drawing = figure.drawings[0]!;
  const layers = (rules: typeof drawing.rules, more: Partial<typeof drawing> = {}) =>
    drawnLayers(oxide, { ...drawing, rules, ...more }, figure);
  const elements = (list: ReturnType<typeof layers>): Set<string> =>
    new Set(itemsOf(list, 'atoms', 'model').map((a) => a.element));

  it('in order, later ones winning, off ones left out', () => {
    const red = newRule({ which: { kind: 'element', elements: ['O'] }, style: { colour: '#ff0000' } });
    const blue = newRule({ which: { kind: 'all' }, style: { colour: '#0000ff' } });
    const coloursOf = (rules: typeof drawing.rules): Set<string> =>
      new Set(
        itemsOf(layers(rules, { sectors: false }), 'atoms', 'model').flatMap((a) =>
          a.element === 'O' ? [a.colour] : [],
        ),
      );
    expect(coloursOf([blue, red])).toEqual(new Set(['#ff0000']));
    expect(coloursOf([red, blue])).toEqual(new Set(['#0000ff']));
    expect(coloursOf([red, { ...blue, on: false }])).toEqual(new Set(['#ff0000']));
  });

  it('speak of coordination, neighbours, distance, nets, and of everything else', () => {
    const hide = (which: Parameters<typeof newRule>[0]['which'], others = false) =>
      elements(layers([newRule({ which, ...(others ? { others } : {}), style: { hidden: true } })]));
    expect(hide({ kind: 'coordination', elements: [], number: 6 }).has('W')).toBe(false);
    expect(hide({ kind: 'bonded to', elements: ['W'] }).has('O')).toBe(false);
    expect(hide({ kind: 'nets', dimension: 3 })).toEqual(new Set(['Cs']));
    expect(hide({ kind: 'nets', dimension: 3 }, true).has('Cs')).toBe(false);
    expect(hide({ kind: 'element', elements: ['O'] }, true)).toEqual(new Set(['O']));
    // Cs stands 3.5 Å from oxygen, 3.9 Å from the next Cs.
    expect(hide({ kind: 'near', elements: ['Cs'], distance: 3.0 }).has('O')).toBe(true);
    expect(hide({ kind: 'near', elements: ['Cs'], distance: 3.7 }).size).toBeGreaterThan(0);
  });

  it('draw polyhedra without their corners, in colours and edges of their own', () => {
    const rules = [
      newRule({
        which: { kind: 'element', elements: ['W', 'Nb'] },
        style: {},
        polyhedra: { opacity: 0.4, edgeWidth: 2, edgeColour: '#112233', colour: '#ddeeff', showCentre: false },
      }),
      newRule({ which: { kind: 'element', elements: ['O'] }, style: { hidden: true } }),
    ];
    const drawn = layers(rules);
    const [first] = itemsOf(drawn, 'polyhedra', 'model');
    expect(first).toMatchObject({ colour: '#ddeeff', edgeColour: '#112233', edgeWidth: 2, opacity: 0.4 });
    expect(first!.vertices).toHaveLength(6);
    expect(elements(drawn).has('O')).toBe(false);
    const ref = first!.ref!;
    const fewer = layers(rules, { hiding: [{ id: 'h', words: '', polyhedra: [ref] }] });
    expect(itemsOf(fewer, 'polyhedra', 'model')).toHaveLength(itemsOf(drawn, 'polyhedra', 'model').length - 1);
  });

  it('give bonds one colour, a length, dashes, or nothing', () => {
    const bonds = (look: object) =>
      itemsOf(
        layers([
          newRule({
            which: { kind: 'element', elements: ['O'] },
            style: {
              bonds: { colouring: 'halves', colour: '#123456', size: 1, dashes: 'none', hidden: false, ...look },
            },
          }),
        ]),
        'bonds',
        'model',
      );
    expect(new Set(bonds({ colouring: 'plain' }).flatMap((b) => b.colours))).toEqual(new Set(['#123456']));
    expect(bonds({ hidden: true })).toHaveLength(0);
    expect(bonds({ dashes: 'all' }).every((b) => b.dash)).toBe(true);
    const kinds = new Set(bonds({ colouring: 'kind' }).map((b) => b.colours[0]));
    expect(kinds).toEqual(new Set(['#a9761a']));
    expect(bonds({ hollow: true }).every((b) => b.inner === '#ffffff')).toBe(true);
    expect(bonds({ size: 2 })[0]!.radius).toBeCloseTo(2 * bonds({})[0]!.radius, 9);
  });

  it('cut shared places into sectors whose shares are the occupancies', () => {
    const atoms = itemsOf(layers([]), 'atoms', 'model');
    const cs = atoms.find((a) => a.element === 'Cs')!;
    expect(cs.sectors!.map((x) => x.share)).toEqual([0.6, 0.2, expect.closeTo(0.2, 9)]);
    expect(atoms.some((a) => a.element === 'Ba')).toBe(false);
    const apart = itemsOf(layers([], { sectors: false }), 'atoms', 'model');
    expect(apart.some((a) => a.element === 'Ba')).toBe(true);
  });

  it('read as sentences', () => {
    const rule = newRule({
      which: { kind: 'coordination', elements: ['W', 'Nb'], number: 6 },
      others: true,
      style: { opacity: 0.5, fade: 0.2 },
    });
    expect(chosenWords(oxide, rule)).toBe('everything but W or Nb with 6 neighbours');
    expect(doesWords(rule)).toBe('50 % solid, faded by 20 %');
  });
});

describe('what is hidden', () => {
  it('comes back step by step, atoms and single bonds', () => {
    const figure = figureFrom(molecule, 'first look');
    const [drawing] = figure.drawings;
    const atoms = itemsOf(drawnLayers(molecule, drawing!, figure), 'atoms', 'model');
    const bonds = itemsOf(drawnLayers(molecule, drawing!, figure), 'bonds', 'model');
    const b = bonds.find((x) => x.atoms)!;
    const pair = [atoms[b.atoms![0]]!.ref, atoms[b.atoms![1]]!.ref] as const;
    const without = drawnLayers(
      molecule,
      { ...drawing!, hiding: [{ id: '1', words: 'a bond', bonds: [pair] }] },
      figure,
    );
    expect(itemsOf(without, 'bonds', 'model')).toHaveLength(bonds.length - 1);
    expect(itemsOf(without, 'atoms', 'model')).toHaveLength(atoms.length);
    const oxygen = { id: '2', words: 'O', chosen: { which: { kind: 'element' as const, elements: ['O'] } } };
    const less = drawnLayers(molecule, { ...drawing!, hiding: [oxygen] }, figure);
    expect(itemsOf(less, 'atoms', 'model').length).toBe(atoms.filter((a) => a.element !== 'O').length);
  });
});

describe('a model that became another', () => {
  it('with fewer sites and no symmetry, is drawn with whatever of the figure still means something', () => {
    const figure = figureFrom(oxide, 'channel');
    const [d] = figure.drawings;
    const far = { site: 'W1', operator: 17, shift: [0, 0, 1] as const };
    const tied: Figure = {
      ...figure,
      drawings: [
        {
          ...d!,
          added: [far, originalRef('O3')],
          extent: { kind: 'sphere', around: [far], radius: 5 },
          rules: [...d!.rules, newRule({ which: { kind: 'molecule', of: [far] }, style: { fade: 0.5 } })],
          hiding: [{ id: 'h', words: '', chosen: { which: { kind: 'selection', atoms: [far, originalRef('O3')] } } }],
        },
      ],
      annotations: [
        { id: 'o', kind: 'outline', panel: figure.panels[0]!.id, atoms: [far], margin: 1 },
        { id: 'd', kind: 'dimension', panel: figure.panels[0]!.id, atoms: [far, originalRef('W1')] },
      ],
    };
    const less = {
      ...tunnelOxide(),
      spaceGroup: spaceGroupFromSymbol('P 1'),
      sites: tunnelOxide().sites.filter((x) => x.id !== 'O3'),
    };
    const drawn = drawFigure(tied, less);
    expect(itemsOf(drawn.scenes[0]!.layers, 'atoms', 'model').length).toBeGreaterThan(0);
    expect(figureSvg(drawn.figure, drawn.scenes)).toContain('<svg');
  });
});

describe('pages', () => {
  it('are laid out side by side, below one another, or in a square', () => {
    expect(panelBoxes(2, 100, 50).map((b) => b.x)).toEqual([0, 51]);
    expect(panelBoxes(3, 50, 100).map((b) => b.x)).toEqual([0, 0, 0]);
    const four = panelBoxes(4, 100, 100);
    expect(new Set(four.map((b) => b.y)).size).toBe(2);
    for (const b of four) expect(b.x + b.width).toBeLessThanOrEqual(100 + 1e-9);
  });

  it('keep what a panel shows when its room changes', () => {
    const { figure } = drawFigure(figureFrom(molecule, 'first look'), molecule);
    const smaller = laidOut({ ...figure, width: figure.width / 2, height: figure.height / 2 });
    expect(smaller.panels[0]!.view.scale).toBeCloseTo(2 * figure.panels[0]!.view.scale, 9);
  });

  it('turn linked panels together, and the others not', () => {
    const { figure } = drawFigure(figureFrom(oxide, 'channel'), oxide);
    const view = { ...figure.panels[0]!.view, rotation: anyRotation() };
    const free = withView(figure, figure.panels[0]!.id, view);
    expect(free.panels[1]!.view.rotation).toEqual(figure.panels[1]!.view.rotation);
    const linked = withView(
      { ...figure, panels: figure.panels.map((p) => ({ ...p, link: 'x' })) },
      figure.panels[0]!.id,
      view,
    );
    expect(linked.panels[1]!.view.rotation).toEqual(view.rotation);
    expect(linked.panels[1]!.view.scale).toBe(figure.panels[1]!.view.scale);
  });

  it('of a stereo pair show the two eyes six degrees apart, the left one from the left', () => {
    const { figure, scenes } = drawFigure(figureFrom(molecule, 'first look'), molecule);
    const pair = stereoPair(figure, figure.panels[0]!);
    const [left, right] = pair.panels.map((p) => p.view.rotation);
    const facing = left![6] * right![6] + left![7] * right![7] + left![8] * right![8];
    expect((Math.acos(facing) * 180) / Math.PI).toBeCloseTo(6, 6);
    // What is nearer stands further right for the left eye.
    const near = itemsOf(scenes[0]!.layers, 'atoms', 'model').map((a) => a.position);
    const shift = near.map((p) => {
      const [l, r] = pair.panels.map((q) => onPage(pair, q, p));
      return {
        depth: onPage(figure, figure.panels[0]!, p).depth,
        by: l!.x - (r!.x - pair.panels[1]!.box.x * PIXELS_PER_MM),
      };
    });
    const [front, back] = [...shift]
      .sort((p, q) => q.depth - p.depth)
      .flatMap((x, i, all) => (i === 0 || i === all.length - 1 ? [x] : []));
    expect(front!.by).toBeGreaterThan(back!.by);
  });

  it('come back to where they were after a whole turn', () => {
    const start = anyRotation();
    let r = start;
    for (let i = 0; i < 60; i++) r = turnedAbout(r, 6);
    r.forEach((x, i) => expect(x).toBeCloseTo(start[i]!, 9));
  });
});

describe('ellipsoids that are cut open', () => {
  const opened = drawnLayers(
    molecule,
    {
      ...figureFrom(molecule, 'ellipsoids').drawings[0]!,
      rules: [newRule({ which: { kind: 'all' }, style: { look: 'ellipsoids', open: true } })],
    },
    { palette: 'screen', ground: '#ffffff' },
  );
  const atoms = itemsOf(opened, 'atoms', 'model');

  it('are those that have axes of their own; bonds end at their surface', () => {
    const open = atoms.filter((a) => a.shape === 'open ellipsoid');
    expect(open.length).toBeGreaterThan(0);
    for (const b of itemsOf(opened, 'bonds', 'model')) {
      const [from] = shownEnds(b);
      const a = atoms[b.atoms![0]]!;
      if (a.shape !== 'open ellipsoid') continue;
      const reach = a.axes.map((v) => norm(v));
      const gone = norm(from.map((x, k) => x - a.position[k]!) as unknown as Vec3);
      expect(gone).toBeGreaterThan(0.9 * Math.min(...reach));
      expect(gone).toBeLessThan(Math.max(...reach));
    }
  });

  it('show three cuts each in the vector file', () => {
    const figure = figureFrom(molecule, 'ellipsoids');
    const count = (open: boolean): number => {
      const rules = [newRule({ which: { kind: 'all' }, style: { look: 'ellipsoids', open } })];
      const wished = { ...figure, drawings: figure.drawings.map((d) => ({ ...d, rules, labels: [] })) };
      const drawn = drawFigure(wished, molecule);
      return figureSvg(drawn.figure, drawn.scenes).split('<path').length;
    };
    expect(count(true) - count(false)).toBe(3 * atoms.filter((a) => a.shape === 'open ellipsoid').length);
  });
});

describe('labels', () => {
  const base = figureFrom(molecule, 'ellipsoids');
  const { figure: first, scenes } = drawFigure(base, molecule);

  it('tell lengths of bonds and angles at atoms, with s.u. where they are known, and not of riding hydrogens', () => {
    const labelled = (say: 'length' | 'angle') => {
      const figure = {
        ...base,
        drawings: base.drawings.map((d) => ({
          ...d,
          labels: [{ id: 'l', on: true, which: { kind: 'all' as const }, say }],
        })),
      };
      return drawFigure(figure, molecule);
    };
    const { figure, scenes: drawn } = labelled('length');
    const lengths = itemsOf(drawn[0]!.layers, 'labels', 'model');
    const heavy = itemsOf(drawn[0]!.layers, 'atoms', 'model').filter((a) => a.element !== 'H').length;
    // One ring: as many bonds as atoms.
    expect(lengths).toHaveLength(heavy);
    const places = new Map(itemsOf(drawn[0]!.layers, 'atoms', 'model').map((a) => [refKey(a.ref), a.position]));
    for (const l of lengths) {
      const [p, q] = l.measured!.map((a) => places.get(refKey(a))!) as [Vec3, Vec3];
      expect(Number(l.text)).toBeCloseTo(norm([q[0] - p[0], q[1] - p[1], q[2] - p[2]]), 3);
    }
    const known: Structure = {
      ...molecule,
      sites: molecule.sites.map((x) => ({ ...x, positionSu: [3e-4, 2e-4, 2e-4] as const })),
    };
    const written = (structure: Structure): string[] =>
      labelShapes(figure, { ...drawn[0]!, structure }, roughWidth)
        .filter(isText)
        .map((t) => t.runs[0]!.text)
        .filter((t) => !/^[oabc]$/.test(t));
    expect(written(molecule).every((t) => /^1\.\d{3}$/.test(t))).toBe(true);
    const { scenes: again } = labelled('length');
    const words = labelShapes(figure, { ...again[0]!, structure: known }, roughWidth).filter(isText);
    expect(words.filter((t) => /^1\.\d{3,4}\(\d+\)$/.test(t.runs[0]!.text)).length).toBeGreaterThan(heavy / 2);

    const angles = itemsOf(labelled('angle').scenes[0]!.layers, 'labels', 'model');
    const flat = angles.filter((l) => l.measured!.length === 3);
    expect(flat.length).toBeGreaterThan(heavy);
    for (const l of flat) expect(Number.parseFloat(l.text)).toBeGreaterThan(100);
  });

  it('never collide with one another in a hundred views, and those written are of what is drawn', () => {
    let written = 0;
    for (let n = 0; n < 100; n++) {
      const panel = { ...first.panels[0]!, view: { ...first.panels[0]!.view, rotation: anyRotation() } };
      const figure = { ...first, panels: [panel] };
      const boxes = labelShapes(figure, { ...scenes[0]!, panel }, roughWidth)
        .filter(isText)
        .map(boxOf);
      written += boxes.length;
      // Whole on the page.
      const { width, height } = sizeOfPanel(panel);
      for (const b of boxes) {
        expect(b.x0).toBeGreaterThanOrEqual(0);
        expect(b.x1).toBeLessThanOrEqual(width + 0.01);
        expect(b.y1).toBeLessThanOrEqual(height + 0.01);
      }
      boxes.forEach((a, i) =>
        boxes.slice(i + 1).forEach((b) => {
          const meet = a.x0 < b.x1 - 0.01 && b.x0 < a.x1 - 0.01 && a.y0 < b.y1 - 0.01 && b.y0 < a.y1 - 0.01;
          expect(meet).toBe(false);
        }),
      );
    }
    // Eleven heavy atoms a view; hardly one finds no place, near or with a leader.
    expect(written / 100).toBeGreaterThan(10);
  });

  it('stand where they were dragged, with a line back to their atom', () => {
    const shapes = labelShapes(first, scenes[0]!, roughWidth);
    const one = shapes.filter(isText)[0]!;
    const key = one.of!.split(' ').slice(2).join(' ');
    const drawing = { ...first.drawings[0]!, moved: { [key]: [15, -12] as const } };
    const moved = labelShapes({ ...first, drawings: [drawing] }, scenes[0]!, roughWidth);
    const there = moved.filter(isText).find((t) => t.of === one.of)!;
    expect(Math.hypot(there.x - one.x, there.y - one.y)).toBeGreaterThan(30);
    expect(moved.filter((s) => s.kind === 'path').length).toBeGreaterThanOrEqual(1);
  });

  it('can be read on any ground: contrast 4.5 at least', () => {
    for (let n = 0; n < 300; n++) {
      const hex = (): string =>
        `#${Math.floor(random() * 0xffffff)
          .toString(16)
          .padStart(6, '0')}`;
      const [ink, ground] = [hex(), hex()];
      expect(contrastOf(legibleOn(ink, ground), ground)).toBeGreaterThanOrEqual(LEGIBLE);
    }
    for (const ground of ['#ffffff', '#f6f4ee', '#1f2a33', '#000000', '#808080'])
      for (const s of labelShapes({ ...first, ground }, scenes[0]!, roughWidth).filter(isText))
        expect(contrastOf(s.colour, s.halo!)).toBeGreaterThanOrEqual(LEGIBLE);
    expect(contrastOf('#000000', '#ffffff')).toBeCloseTo(21, 6);
    expect(figureColours({ ground: '#000000' }).ink).not.toBe(figureColours({ ground: '#ffffff' }).ink);
  });
});

describe('what is written over a figure', () => {
  const { figure, scenes } = drawFigure(figureFrom(molecule, 'first look'), molecule);
  const panel = figure.panels[0]!.id;
  const heavy = molecule.sites
    .filter((x) => x.element !== 'H')
    .slice(0, 3)
    .map((x) => originalRef(x.id));

  it('follows its atoms through a turn', () => {
    const ring = {
      id: 'r',
      kind: 'ellipse' as const,
      at: { kind: 'atoms' as const, panel, atoms: [heavy[0]!], off: [0, 0] as const },
      rx: 3,
      ry: 3,
      angle: 0,
    };
    const turned = withView(figure, panel, { ...figure.panels[0]!.view, rotation: anyRotation() });
    for (const f of [figure, turned]) {
      const here = scenes.map((s) => ({ ...s, panel: f.panels[0]! }));
      const [shape] = annotationShapes({ ...f, annotations: [ring] }, here, roughWidth);
      const numbers = (shape as { d: string }).d.match(/-?[\d.]+/g)!.map(Number);
      const at = onPage(f, f.panels[0]!, apply3(orthogonalization(molecule.cell), positionOf(molecule, heavy[0]!)));
      // The path begins at the left end of the ring.
      expect(numbers[0]).toBeCloseTo(at.x - 3 * PIXELS_PER_MM, 1);
      expect(numbers[1]).toBeCloseTo(at.y, 1);
    }
  });

  it('measures what it stands between, and is gone with its atoms', () => {
    const dimension = { id: 'd', kind: 'dimension' as const, panel, atoms: heavy.slice(0, 2) };
    const shapes = annotationShapes({ ...figure, annotations: [dimension] }, scenes, roughWidth);
    const [p, q] = heavy.map((a) => apply3(orthogonalization(molecule.cell), positionOf(molecule, a)));
    const length = Math.hypot(p![0] - q![0], p![1] - q![1], p![2] - q![2]);
    const words = shapes.filter(isText)[0]!.runs[0]!.text;
    expect(Number(words.match(/[\d.]+/)![0])).toBeCloseTo(length, 2);
    expect(words).toBe(dimensionWords(molecule, dimension.atoms));
    const gone = { ...dimension, atoms: [heavy[0]!, originalRef('nobody')] };
    expect(annotationShapes({ ...figure, annotations: [gone] }, scenes, roughWidth)).toHaveLength(0);
  });

  it('a scale bar is as long as it says', () => {
    const bar = { id: 'b', kind: 'scale bar' as const, panel, at: [5, 5] as const, length: 4 };
    const [line] = annotationShapes({ ...figure, annotations: [bar] }, scenes, roughWidth);
    const [x0, , x1] = (line as { d: string }).d.match(/-?[\d.]+/g)!.map(Number);
    expect((x1! - x0!) / PIXELS_PER_MM).toBeCloseTo(4 / figure.panels[0]!.view.scale, 2);
  });

  it('hulls hold all of their points, outlines go around them', () => {
    const points = Array.from({ length: 40 }, () => [100 * random(), 60 * random()] as const);
    const hull = flatHull(points);
    for (const p of points)
      hull.forEach((a, i) => {
        const b = hull[(i + 1) % hull.length]!;
        expect((b[0] - a[0]) * (p[1] - a[1]) - (b[1] - a[1]) * (p[0] - a[0])).toBeGreaterThan(-1e-6);
      });
    const out = outlinePath(points, 5)
      .match(/-?[\d.]+ -?[\d.]+/g)!
      .map((x) => x.split(' ').map(Number));
    expect(Math.min(...out.map((p) => p[0]!))).toBeLessThan(Math.min(...points.map((p) => p[0])) - 2);
  });

  it('has letters above and below the line, and Greek ones', () => {
    expect(parseRuns('Fe^{3+}O_2 at \\alpha')).toEqual([
      { text: 'Fe', place: 'line' },
      { text: '3+', place: 'above' },
      { text: 'O', place: 'line' },
      { text: '2', place: 'below' },
      { text: ' at α', place: 'line' },
    ]);
    expect(parseRuns('a_')).toEqual([{ text: 'a_', place: 'line' }]);
    expect(parseRuns('\\nothing')).toEqual([{ text: '\\nothing', place: 'line' }]);
  });
});

describe('legend and palettes', () => {
  it('the legend names what is drawn and nothing else', () => {
    const figure = figureFrom(oxide, 'polyhedra');
    const { scenes } = drawFigure(figure, oxide);
    const texts = legendEntries(figure, scenes).map((e) => e.text);
    expect(texts).toContain('Cs_{0.6}Ba_{0.2}');
    expect(texts.some((t) => t.includes('polyhedra'))).toBe(true);
    const [d] = figure.drawings;
    const named = {
      ...figure,
      drawings: [
        {
          ...d!,
          rules: [
            ...d!.rules,
            newRule({ which: { kind: 'element', elements: ['Cs', 'Ba'] }, style: {}, name: 'guests' }),
          ],
          hiding: [{ id: 'h', words: 'O', chosen: { which: { kind: 'element' as const, elements: ['O'] } } }],
        },
      ],
    };
    const after = legendEntries(named, drawFigure(named, oxide).scenes).map((e) => e.text);
    expect(after).toContain('guests');
    expect(after).not.toContain('O');
  });

  it('a new legend stands where it covers least, inside of the page', () => {
    const figure = figureFrom(oxide, 'polyhedra');
    const { figure: narrow, scenes } = drawFigure(figure, oxide);
    const fitted = { ...narrow, width: 300 };
    for (const height of [0.3, 0.6, 1]) {
      // A view that fills the page but for a strip at its foot.
      const views = scenes.map((s) => {
        const box = { x: 0, y: 0, width: fitted.width, height: height * fitted.height };
        return { ...s, panel: { ...s.panel, box, view: fittedView(s.layers, s.panel.view.rotation, box) } };
      });
      const [x, y] = freeLegendPlace(fitted, views, roughWidth);
      const [plate] = legendShapes({ ...fitted, legend: [x, y] }, views, roughWidth);
      const corners = [...(plate as { d: string }).d.matchAll(/[ML](-?[\d.]+)[ ,](-?[\d.]+)/g)];
      const [xs, ys] = [1, 2].map((k) => corners.map((m) => Number(m[k])));
      expect(Math.max(...xs!)).toBeLessThanOrEqual(fitted.width * PIXELS_PER_MM);
      expect(Math.max(...ys!)).toBeLessThanOrEqual(fitted.height * PIXELS_PER_MM);
      const under = views.flatMap(({ panel, layers }) =>
        itemsOf(layers, 'atoms').filter((a) => {
          const p = onPage(fitted, panel, a.position);
          return p.x > Math.min(...xs!) && p.x < Math.max(...xs!) && p.y > Math.min(...ys!) && p.y < Math.max(...ys!);
        }),
      );
      expect(under).toEqual([]);
    }
  });

  it.each(PALETTES.map((p) => p.id))('the palette %s gives every element a colour', (id) => {
    const colours = paletteColours(oxide, id);
    expect(colours.size).toBe(5);
    for (const c of colours.values()) expect(c).toMatch(/^#[0-9a-f]{6}$/i);
    if (id === 'apart') expect(new Set(colours.values()).size).toBe(5);
    if (id === 'grey') for (const c of colours.values()) expect(c.slice(1, 3)).toBe(c.slice(3, 5));
  });
});

describe('the vector file', () => {
  it('has its layers by name, names of its own for each panel, text as text', () => {
    const { figure, scenes } = drawFigure(figureFrom(oxide, 'channel'), oxide);
    const text = figureSvg(
      {
        ...figure,
        name: 'A & B',
        annotations: [
          ...figure.annotations,
          { id: 't', kind: 'text', at: { kind: 'page', at: [20, 20] }, text: 'Cs^+ < 1' },
        ],
      },
      scenes,
    );
    for (const id of ['ground', 'panel-a', 'panel-b', 'annotations', 'legend', 'labels'])
      expect(text).toContain(`id="${id}"`);
    const ids = [...text.matchAll(/ id="([^"]+)"/g)].map((m) => m[1]);
    expect(new Set(ids).size).toBe(ids.length);
    for (const [, used] of text.matchAll(/url\(#([^)]+)\)/g)) expect(ids).toContain(used);
    expect(text).toContain('<title>A &amp; B</title>');
    expect(text).toContain('&lt; 1</tspan>');
    expect(figureSvg({ ...figure, clear: true }, scenes)).not.toContain('id="ground"');
  });
});
