/** Changes of the figures of a project, as plain functions. */
import type { AtomRef } from '@nagare/core/crystal/atom-ref';
import { samePlace } from '@nagare/core/crystal/atom-ref';
import { newId, type Structure } from '@nagare/core/crystal/structure';
import {
  laidOut,
  type Annotation,
  type Chosen,
  type Drawing,
  type Figure,
  type FigureRule,
  type Hiding,
  type Panel,
} from '@nagare/core/depict/figure';
import { chosenWords } from '@nagare/core/depict/rule-words';
import { unfitted } from '@nagare/core/depict/templates';
import type { Mat3 } from '@nagare/core/math/matrix3';

/** A copy with identifiers of its own, so that both can be changed. */
export function copyOfFigure(figure: Figure, name: string): Figure {
  const ids = new Map<string, string>();
  const fresh = (id: string): string => {
    const known = ids.get(id) ?? newId();
    ids.set(id, known);
    return known;
  };
  const withPanel = (a: Annotation): Annotation => {
    const anchor = <T extends { readonly kind: string; readonly panel?: string }>(x: T): T =>
      x.panel === undefined ? x : { ...x, panel: fresh(x.panel) };
    const base = { ...a, id: fresh(a.id) };
    if ('panel' in base) return { ...base, panel: fresh(base.panel) };
    if ('at' in base) return { ...base, at: anchor(base.at) };
    return { ...base, from: anchor(base.from), to: anchor(base.to) };
  };
  return {
    ...figure,
    id: newId(),
    name,
    drawings: figure.drawings.map((d) => ({ ...d, id: fresh(d.id) })),
    panels: figure.panels.map((p) => ({ ...p, id: fresh(p.id), drawing: fresh(p.drawing) })),
    annotations: figure.annotations.map(withPanel),
  };
}

/** A name that no other figure has. */
export function freeName(figures: readonly Figure[], wanted: string): string {
  const taken = new Set(figures.map((f) => f.name));
  if (!taken.has(wanted)) return wanted;
  const base = wanted.replace(/ \d+$/, '');
  for (let n = 2; ; n++) if (!taken.has(`${base} ${n}`)) return `${base} ${n}`;
}

/** A list with one item moved to another place. */
export function movedTo<T>(list: readonly T[], from: number, to: number): T[] {
  const rest = list.filter((_, i) => i !== from);
  const at = Math.max(0, Math.min(rest.length, to));
  return [...rest.slice(0, at), list[from]!, ...rest.slice(at)];
}

export const withRule = (d: Drawing, id: string, change: (r: FigureRule) => FigureRule): Drawing => ({
  ...d,
  rules: d.rules.map((r) => (r.id === id ? change(r) : r)),
});

/** A step of hiding on top of the others. */
export const hidden = (d: Drawing, step: Omit<Hiding, 'id'>): Drawing => ({
  ...d,
  hiding: [...d.hiding, { id: newId(), ...step }],
});

/** What is chosen is hidden, told in words. */
export const hiddenChoice = (s: Structure, d: Drawing, chosen: Chosen): Drawing =>
  hidden(d, { words: chosenWords(s, chosen), chosen });

/** Bonds between chosen atoms, pair by pair. */
export const hiddenBonds = (
  d: Drawing,
  atoms: readonly AtomRef[],
  bonded: (p: AtomRef, q: AtomRef) => boolean,
): Drawing => {
  const pairs = atoms.flatMap((p, i) => atoms.slice(i + 1).flatMap((q) => (bonded(p, q) ? [[p, q] as const] : [])));
  if (!pairs.length) return d;
  return hidden(d, { words: pairs.length === 1 ? 'a bond' : `${pairs.length} bonds`, bonds: pairs });
};

/** A further panel: the same drawing seen otherwise, or a drawing of its own that begins as a copy. */
export function withPanelAdded(figure: Figure, from: Panel, rotation: Mat3, own: boolean): Figure {
  const drawing = figure.drawings.find((d) => d.id === from.drawing)!;
  const copy = own ? { ...drawing, id: newId() } : drawing;
  const panel: Panel = { id: newId(), drawing: copy.id, view: unfitted(rotation), box: from.box };
  return laidOut({
    ...figure,
    drawings: own ? [...figure.drawings, copy] : figure.drawings,
    panels: [...figure.panels, panel],
  });
}

/** A figure without one of its panels, and without what was written on it and nowhere else. */
export function withoutPanel(figure: Figure, id: string): Figure {
  if (figure.panels.length < 2) return figure;
  const panels = figure.panels.filter((p) => p.id !== id);
  const standsOn = (a: Annotation): boolean => {
    if ('panel' in a) return a.panel === id;
    const anchors = 'at' in a ? [a.at] : [a.from, a.to];
    return anchors.some((x) => x.kind === 'atoms' && x.panel === id);
  };
  return laidOut({
    ...figure,
    panels,
    drawings: figure.drawings.filter((d) => panels.some((p) => p.drawing === d.id)),
    annotations: figure.annotations.filter((a) => !standsOn(a)),
  });
}

export const withAnnotation = (figure: Figure, id: string, change: (a: Annotation) => Annotation): Figure => ({
  ...figure,
  annotations: figure.annotations.map((a) => (a.id === id ? change(a) : a)),
});

/** mm moved, snapped to whole millimetres where it comes near. */
const SNAP = 0.35;
export const snapped = (x: number): number => (Math.abs(x - Math.round(x)) < SNAP ? Math.round(x) : x);

/** An annotation moved over the page by mm; what is tied to atoms alone stays. */
export function movedAnnotation(a: Annotation, dx: number, dy: number): Annotation {
  const by = ([x, y]: readonly [number, number]): [number, number] => [x + dx, y + dy];
  const anchor = <T extends { readonly kind: 'page' | 'atoms' }>(x: T): T => {
    const moved = x as T & { at?: readonly [number, number]; off?: readonly [number, number] };
    return moved.kind === 'page' ? { ...x, at: by(moved.at!) } : { ...x, off: by(moved.off!) };
  };
  switch (a.kind) {
    case 'text':
    case 'ellipse':
      return { ...a, at: anchor(a.at) };
    case 'arrow':
    case 'bracket':
      return { ...a, from: anchor(a.from), to: anchor(a.to) };
    case 'compass':
    case 'scale bar':
      return { ...a, at: by(a.at) };
    default:
      return a;
  }
}

/** A label moved over the page by mm. */
export const movedLabel = (d: Drawing, key: string, by: readonly [number, number]): Drawing => ({
  ...d,
  moved: { ...d.moved, [key]: by },
});

/** What of a figure speaks of sites by name that a structure does not have. */
export function lostIn(s: Structure, figure: Figure): { readonly figure: Figure; readonly lost: readonly string[] } {
  const known = new Set(s.sites.map((x) => x.id));
  const elements = new Set(s.sites.map((x) => x.element));
  const lost: string[] = [];
  const here = (chosen: Chosen): boolean => {
    const { which } = chosen;
    if ('sites' in which) return which.sites.some((id) => known.has(id));
    if (which.kind === 'selection') return which.atoms.some((a) => known.has(a.site));
    if (which.kind === 'molecule') return which.of.some((a) => known.has(a.site));
    if ('elements' in which) return !which.elements.length || which.elements.some((e) => elements.has(e));
    return true;
  };
  const keep = <T>(list: readonly T[], chosen: (x: T) => Chosen | undefined): T[] =>
    list.filter((x) => {
      const c = chosen(x);
      if (!c || here(c)) return true;
      lost.push(chosenWords(s, c));
      return false;
    });
  const drawings = figure.drawings.map((d) => ({
    ...d,
    rules: keep(d.rules, (r) => r),
    labels: keep(d.labels, (l) => l),
    hiding: keep(d.hiding, (h) => h.chosen),
    added: d.added.filter((a) => known.has(a.site)),
  }));
  return { figure: { ...figure, drawings }, lost };
}

/** A figure for another structure: no mark of its own, its views fitted anew, what was tied to atoms left out. */
export function figureForOther(
  s: Structure,
  figure: Figure,
): { readonly figure: Figure; readonly lost: readonly string[] } {
  const copy = copyOfFigure(figure, figure.name);
  const { figure: left, lost } = lostIn(s, copy);
  const tied = (a: Annotation): boolean =>
    a.kind === 'outline' ||
    a.kind === 'dimension' ||
    ('at' in a && !Array.isArray(a.at) && (a.at as { kind: string }).kind === 'atoms') ||
    ('from' in a && (a.from.kind === 'atoms' || a.to.kind === 'atoms'));
  return {
    lost,
    figure: {
      ...left,
      drawings: left.drawings.map(({ mark: _, bonding: _b, ...d }) => ({ ...d, moved: {} })),
      panels: left.panels.map((p) => ({ ...p, view: unfitted(p.view.rotation) })),
      annotations: left.annotations.filter((a) => !tied(a)),
    },
  };
}

/** Whether an atom is among others. */
export const isAmong = (s: Structure, list: readonly AtomRef[], a: AtomRef): boolean =>
  list.some((x) => samePlace(s, x, a));
