/** A figure in words: what of a crystal is drawn, how, and from where; what is left out is as the crystal is best seen first. */
import type { Structure } from '../crystal/structure.ts';
import { bonded } from '../geometry/bonding-proposal.ts';
import type { Mat3, Vec3 } from '../math/matrix3.ts';
import { buildLayers } from './build-scene.ts';
import { extentPoints, fitCamera, type Size } from './camera.ts';
import { PAPER_COLOURS } from './colours.ts';
import type { Extent } from './extent.ts';
import { firstLook } from './first-look.ts';
import { LABEL_RULES, type LabelRule } from './label-rules.ts';
import type { PolyhedronRule } from './polyhedra.ts';
import { USUAL_LIGHT, type Scene } from './scene.ts';
import { ATOM_LOOKS, type AtomLook, type StyleRule } from './style.ts';
import { alongNormal, alongRow } from './views.ts';

export interface WordedFigure {
  /** "a", "b", "c", a row "[1 1 0]" that is looked along, or a plane "1 1 0" that is looked at. */
  readonly view?: string;
  /** "cell", "closed", "packed", "molecules", "unique" or "block:2,2,1". */
  readonly extent?: string;
  /** Looks, "polyhedra", "polyhedra:Ti", "labels:element", "no polyhedra", "no hydrogens", "no cell". */
  readonly style?: readonly string[];
  /** Elements or labels of sites that are not drawn. */
  readonly hide?: readonly string[];
  /** "#rrggbb" */
  readonly ground?: string;
}

const AXES: Readonly<Record<string, Vec3>> = { a: [1, 0, 0], b: [0, 1, 0], c: [0, 0, 1] };

const threeNumbers = (text: string): Vec3 | undefined => {
  const list = text
    .trim()
    .split(/[\s,]+/)
    .map(Number);
  return list.length === 3 && list.every(Number.isFinite) ? [list[0]!, list[1]!, list[2]!] : undefined;
};

/** Throws RangeError for words that name no direction. */
export function rotationOfView(s: Structure, text: string): Mat3 {
  const axis = AXES[text.trim()];
  if (axis) return alongRow(s.cell, axis);
  const row = /^\s*\[(.*)\]\s*$/.exec(text);
  const numbers = threeNumbers(row ? row[1]! : text.replace(/^\s*\(|\)\s*$/g, ''));
  if (!numbers)
    throw new RangeError(`"${text}" is no view. Write a, b or c, a row like "[1 1 0]" or a plane like "1 1 0".`);
  return row ? alongRow(s.cell, numbers) : alongNormal(s.cell, numbers);
}

const EXTENTS: Readonly<Record<string, Extent>> = {
  cell: { kind: 'cell' },
  closed: { kind: 'closed cell' },
  packed: { kind: 'packed cell' },
  molecules: { kind: 'molecules' },
  unique: { kind: 'unique' },
};

/** Throws RangeError for words that name no part of a crystal. */
export function extentOfWords(text: string): Extent {
  const [name, rest] = text.trim().split(':') as [string, string | undefined];
  const known = EXTENTS[name];
  if (known && rest === undefined) return known;
  const to = name === 'block' && rest ? threeNumbers(rest) : undefined;
  if (to && to.every((x) => x > 0 && x <= 20)) return { kind: 'block', from: [0, 0, 0], to };
  throw new RangeError(`"${text}" is no extent. There are ${Object.keys(EXTENTS).join(', ')} and block:2,2,1.`);
}

interface Looks {
  look: AtomLook;
  polyhedra: PolyhedronRule[];
  labels: LabelRule;
  showHydrogen: boolean;
  showCell: boolean;
}

/** Throws RangeError for a word that says nothing of how things are drawn. */
function applyStyle(looks: Looks, word: string, s: Structure): void {
  const [name, rest] = word.trim().split(':') as [string, string | undefined];
  const look = ATOM_LOOKS.find((l) => l === name);
  const label = LABEL_RULES.find((l) => l === (rest ?? 'label'));
  if (look) looks.look = look;
  else if (name === 'polyhedra') looks.polyhedra = polyhedronRules(s, rest);
  else if (name === 'labels' && label) looks.labels = label;
  else if (name === 'no polyhedra') looks.polyhedra = [];
  else if (name === 'no hydrogens') looks.showHydrogen = false;
  else if (name === 'no cell') looks.showCell = false;
  else
    throw new RangeError(
      `"${word}" is no style. There are ${ATOM_LOOKS.join(', ')}, polyhedra, polyhedra:Ti, labels, labels:element, no polyhedra, no hydrogens, no cell.`,
    );
}

function polyhedronRules(s: Structure, elements: string | undefined): PolyhedronRule[] {
  const named = elements?.split('+').map((e) => e.trim()) ?? firstLook(s).polyhedra;
  const missing = named.find((e) => !s.sites.some((x) => x.element === e));
  if (missing) throw new RangeError(`There is no ${missing} in the model to draw polyhedra around.`);
  return named.map((element) => ({
    centre: { kind: 'element', element },
    opacity: 0.72,
    edges: true,
    showCentre: true,
  }));
}

/** Throws RangeError for a name that is neither an element nor a label of the model. */
function hidingRule(s: Structure, name: string): StyleRule {
  if (s.sites.some((x) => x.element === name))
    return { which: { kind: 'element', elements: [name] }, style: { hidden: true } };
  const sites = s.sites.filter((x) => x.label === name).map((x) => x.id);
  if (!sites.length) throw new RangeError(`There is neither an element nor a site "${name}" in the model to hide.`);
  return { which: { kind: 'site', sites }, style: { hidden: true } };
}

/** The scene of a figure at a size. Throws RangeError in words for what cannot be drawn. */
export function figureScene(plain: Structure, figure: WordedFigure, size: Size): Scene {
  const s = bonded(plain);
  const first = firstLook(s);
  const looks: Looks = {
    look: first.look,
    polyhedra: polyhedronRules(s, undefined),
    labels: 'none',
    showHydrogen: true,
    showCell: true,
  };
  for (const word of figure.style ?? []) applyStyle(looks, word, s);
  const ground = figure.ground ?? PAPER_COLOURS.ground;
  const rules: StyleRule[] = [
    { which: { kind: 'all' }, style: { look: looks.look } },
    { which: { kind: 'lesser groups' }, style: { fade: 0.42 } },
    ...(looks.showHydrogen ? [] : [{ which: { kind: 'element' as const, elements: ['H'] }, style: { hidden: true } }]),
    ...(figure.hide ?? []).map((name) => hidingRule(s, name)),
  ];
  const layers = buildLayers(s, {
    extent: figure.extent === undefined ? { kind: first.extent } : extentOfWords(figure.extent),
    rules,
    showCell: looks.showCell,
    labels: looks.labels,
    colours: { ...PAPER_COLOURS, ground },
    polyhedra: looks.polyhedra,
  });
  const rotation = figure.view === undefined ? first.rotation : rotationOfView(s, figure.view);
  return { layers, camera: fitCamera(extentPoints(layers), rotation, size), light: USUAL_LIGHT, ground };
}
