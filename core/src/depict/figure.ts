/**
 * A figure: a sheet of paper with panels, each a view of a drawing, and what is written over them. A plain value, kept with the
 * project; it says what to draw, never what came of it. Lengths on the paper are mm, from its upper left corner.
 */
import type { AtomRef } from '../crystal/atom-ref.ts';
import type { Bonding } from '../crystal/bonding.ts';
import type { ColourRule } from '../draw/colouring.ts';
import type { Extent } from '../draw/extent.ts';
import type { LabelRule, MeasureLabel } from '../draw/label-rules.ts';
import type { Optics } from '../draw/scene.ts';
import type { AtomStyle, Which } from '../draw/style.ts';
import type { Mat3, Vec3 } from '../math/matrix3.ts';
import type { FigureSurface } from './figure-surfaces.ts';

/** What a rule speaks of. */
export interface Chosen {
  readonly which: Which;
  /** Everything but those. */
  readonly others?: boolean;
}

export interface PolyhedraLook {
  /** 0–1 */
  readonly opacity: number;
  /** Of faces and edges; the centre's and a darker shade where absent. */
  readonly colour?: string;
  readonly edgeColour?: string;
  /** Page pixels; 0 for none. */
  readonly edgeWidth: number;
  readonly showCentre: boolean;
}

/** Rules in order, later ones winning. */
export interface FigureRule extends Chosen {
  readonly id: string;
  readonly on: boolean;
  /** What the legend calls it; by its atoms where absent. */
  readonly name?: string;
  readonly style: Partial<AtomStyle>;
  readonly polyhedra?: PolyhedraLook;
}

export interface FigureLabels extends Chosen {
  readonly id: string;
  readonly on: boolean;
  readonly say: LabelRule | MeasureLabel;
}

/** One thing that was hidden, so that it can come back by itself. */
export interface Hiding {
  readonly id: string;
  /** What was done, for the list. */
  readonly words: string;
  readonly chosen?: Chosen;
  readonly bonds?: readonly (readonly [AtomRef, AtomRef])[];
  readonly polyhedra?: readonly AtomRef[];
}

/** A plane of the lattice through the drawing. */
export interface FigurePlane {
  readonly id: string;
  readonly indices: Vec3;
  /** From the origin, in units of the spacing. */
  readonly height: number;
  readonly colour: string;
}

/** What is drawn, without where it is seen from. */
export interface Drawing {
  readonly id: string;
  /** A mark of the course; the newest one where absent. */
  readonly mark?: string;
  readonly extent: Extent;
  readonly rules: readonly FigureRule[];
  readonly labels: readonly FigureLabels[];
  /** mm by which labels were dragged from where they would stand, by what is said of which atom. */
  readonly moved: Readonly<Record<string, readonly [number, number]>>;
  readonly hiding: readonly Hiding[];
  readonly added: readonly AtomRef[];
  readonly bonding?: Bonding;
  readonly showCell: boolean;
  /** Partly held places are cut into sectors. */
  readonly sectors: boolean;
  readonly colourBy: ColourRule;
  /** Definitions of contacts that are drawn, by their ids. */
  readonly contacts: readonly string[];
  readonly planes: readonly FigurePlane[];
  readonly symmetry: boolean;
  readonly surfaces?: readonly FigureSurface[];
}

export interface PanelView {
  /** Rows: right, up, towards the viewer. */
  readonly rotation: Mat3;
  /** Å */
  readonly target: Vec3;
  /** Å a mm of the paper. */
  readonly scale: number;
}

export interface Box {
  readonly x: number;
  readonly y: number;
  readonly width: number;
  readonly height: number;
}

export interface Panel {
  readonly id: string;
  readonly drawing: string;
  readonly view: PanelView;
  readonly box: Box;
  /** Turned together with every panel of the same name. */
  readonly link?: string;
}

/** A place on the paper, or the middle of atoms as a panel shows them, moved by mm. */
export type Anchor =
  | { readonly kind: 'page'; readonly at: readonly [number, number] }
  | {
      readonly kind: 'atoms';
      readonly panel: string;
      readonly atoms: readonly AtomRef[];
      readonly off: readonly [number, number];
    };

/** Lines and letters over a figure. */
export interface Ink {
  readonly colour: string;
  /** mm */
  readonly width: number;
  readonly dashed: boolean;
  /** Laid inside closed shapes. */
  readonly fill?: string;
  /** Height of letters, mm. */
  readonly size: number;
}

interface AnnotationBase {
  readonly id: string;
  /** The figure's own where absent. */
  readonly ink?: Partial<Ink>;
}

export type Annotation = AnnotationBase &
  (
    | { readonly kind: 'text'; readonly at: Anchor; readonly text: string }
    | {
        readonly kind: 'ellipse';
        readonly at: Anchor;
        readonly rx: number;
        readonly ry: number;
        readonly angle: number;
      }
    /** Around atoms as they are seen, a margin (mm) outside of them. */
    | {
        readonly kind: 'outline';
        readonly panel: string;
        readonly atoms: readonly AtomRef[];
        readonly margin: number;
      }
    | { readonly kind: 'arrow'; readonly from: Anchor; readonly to: Anchor; readonly heads: 1 | 2 }
    | { readonly kind: 'bracket'; readonly from: Anchor; readonly to: Anchor; readonly text: string }
    /** Distance, angle or torsion of two, three or four atoms. */
    | { readonly kind: 'dimension'; readonly panel: string; readonly atoms: readonly AtomRef[] }
    | { readonly kind: 'compass'; readonly panel: string; readonly at: readonly [number, number] }
    /** A length of the crystal, Å. */
    | {
        readonly kind: 'scale bar';
        readonly panel: string;
        readonly at: readonly [number, number];
        readonly length: number;
      }
  );
export type AnnotationKind = Annotation['kind'];

export interface Figure {
  readonly id: string;
  readonly name: string;
  /** mm */
  readonly width: number;
  readonly height: number;
  /** Dots an inch of a raster file. */
  readonly dpi: number;
  /** "#rrggbb" */
  readonly ground: string;
  /** The ground is left out of files. */
  readonly clear: boolean;
  readonly optics: Optics;
  readonly drawings: readonly Drawing[];
  readonly panels: readonly Panel[];
  /** Panels bear (a), (b), (c). */
  readonly letters: boolean;
  readonly annotations: readonly Annotation[];
  readonly ink: Ink;
  readonly palette: string;
  /** Where the legend stands; none where absent. */
  readonly legend?: readonly [number, number];
}

/** Pixels of the page (96 an inch, as CSS and SVG count) a mm. */
export const PIXELS_PER_MM = 96 / 25.4;

export const USUAL_INK: Ink = { colour: '#1f2a33', width: 0.35, dashed: false, size: 3 };

export const inkOf = (figure: Figure, a: Annotation): Ink => ({ ...figure.ink, ...a.ink });

export const drawingOf = (figure: Figure, panel: Panel): Drawing =>
  figure.drawings.find((d) => d.id === panel.drawing) ?? figure.drawings[0]!;

/** A figure with one drawing changed. */
export const withDrawing = (figure: Figure, id: string, change: (d: Drawing) => Drawing): Figure => ({
  ...figure,
  drawings: figure.drawings.map((d) => (d.id === id ? change(d) : d)),
});

/** A figure with one panel seen otherwise; panels linked with it turn with it. */
export function withView(figure: Figure, panelId: string, view: PanelView): Figure {
  const link = figure.panels.find((p) => p.id === panelId)?.link;
  return {
    ...figure,
    panels: figure.panels.map((p) => {
      if (p.id === panelId) return { ...p, view };
      return link !== undefined && p.link === link ? { ...p, view: { ...p.view, rotation: view.rotation } } : p;
    }),
  };
}

/** Widths that journals print: one column, one and a half, two; and a slide. mm. */
export const PAGE_SIZES = [
  { name: 'one column', width: 85, height: 64 },
  { name: 'a column and a half', width: 120, height: 90 },
  { name: 'two columns', width: 175, height: 110 },
  { name: 'slide', width: 254, height: 143 },
  { name: 'square', width: 120, height: 120 },
] as const;

/** Space between panels and around the sheet, mm. */
const GAP = 2;

/** Boxes for so many panels: side by side on a wide sheet, below one another on a tall one, in a square from four on. */
export function panelBoxes(count: number, width: number, height: number): Box[] {
  const columns = count <= 3 ? (width >= height ? count : 1) : Math.ceil(Math.sqrt(count));
  const rows = Math.ceil(count / columns);
  const w = (width - GAP * (columns - 1)) / columns,
    h = (height - GAP * (rows - 1)) / rows;
  return Array.from({ length: count }, (_, i) => ({
    x: (i % columns) * (w + GAP),
    y: Math.floor(i / columns) * (h + GAP),
    width: w,
    height: h,
  }));
}

/** The panels of a sheet laid out anew, each keeping what it shows in its middle and as much of it. */
export function laidOut(figure: Figure): Figure {
  const boxes = panelBoxes(figure.panels.length, figure.width, figure.height);
  return {
    ...figure,
    panels: figure.panels.map((p, i) => {
      const box = boxes[i]!;
      const factor = Math.max(p.box.width / box.width, p.box.height / box.height);
      return { ...p, box, view: { ...p.view, scale: p.view.scale * factor } };
    }),
  };
}

/** Degrees that each eye of a stereo pair stands off the middle. */
const EYE = 3;

/** A rotation seen from further round, about the upright direction of the page. */
export function turnedAbout(rotation: Mat3, degrees: number): Mat3 {
  const a = (degrees * Math.PI) / 180;
  const [c, s] = [Math.cos(a), Math.sin(a)];
  const r = rotation;
  return [
    c * r[0] + s * r[6], c * r[1] + s * r[7], c * r[2] + s * r[8],
    r[3], r[4], r[5],
    -s * r[0] + c * r[6], -s * r[1] + c * r[7], -s * r[2] + c * r[8],
  ]; // prettier-ignore
}

/** Two pictures of one panel side by side, as the left and the right eye see it (looked at straight). */
export function stereoPair(figure: Figure, panel: Panel): Figure {
  const { width, height } = panel.box;
  const eye = (x: number, degrees: number): Panel => ({
    ...panel,
    id: `${panel.id} ${degrees}`,
    box: { x, y: 0, width, height },
    view: { ...panel.view, rotation: turnedAbout(panel.view.rotation, degrees) },
  });
  const { legend: _, ...rest } = figure;
  return {
    ...rest,
    width: 2 * width + GAP,
    height,
    letters: false,
    annotations: [],
    panels: [eye(0, EYE), eye(width + GAP, -EYE)],
  };
}
