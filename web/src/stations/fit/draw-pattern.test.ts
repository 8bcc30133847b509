import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { drawOverview, drawPattern, type Curves, type Marks } from './draw-pattern.ts';
import { frameOf, scaled, steps, toPixel, toTwoTheta, unscaled, type Look } from './pattern-frame.ts';
import type { Tick } from './reflections.ts';

const LOOK: Look = { scale: '2θ', root: false, shares: true, wavelength: 1.5406 };
const NO_MARKS: Marks = { ticks: [], colours: [] };

/** What a canvas was told to do: the calls, each with the colours that stood when it was made. */
interface Act {
  readonly name: string;
  readonly args: readonly unknown[];
  readonly stroke: string;
  readonly fill: string;
  readonly alpha: number;
}

/** A canvas without pixels that remembers. */
function recorder(width: number, height: number): { canvas: HTMLCanvasElement; acts: Act[] } {
  const acts: Act[] = [];
  const state: Record<string, unknown> = { strokeStyle: '', fillStyle: '', globalAlpha: 1 };
  const context = new Proxy(state, {
    get: (_, name: string) =>
      name in state
        ? state[name]
        : (...args: unknown[]) => {
            const { strokeStyle, fillStyle, globalAlpha } = state;
            acts.push({ name, args, stroke: String(strokeStyle), fill: String(fillStyle), alpha: Number(globalAlpha) });
          },
    set: (_, name: string, value: unknown) => {
      state[name] = value;
      return true;
    },
  });
  const canvas = { clientWidth: width, clientHeight: height, width: 0, height: 0, getContext: () => context };
  return { canvas: canvas as unknown as HTMLCanvasElement, acts };
}

beforeEach(() => {
  vi.stubGlobal('devicePixelRatio', 2);
  vi.stubGlobal('getComputedStyle', () => ({ getPropertyValue: (token: string) => `<${token.slice(2)}>` }));
});
afterEach(() => vi.unstubAllGlobals());

const COUNT = 401;
const x = Float64Array.from({ length: COUNT }, (_, i) => 20 + 0.1 * i);
const bump = (t: number, at: number, height: number): number => height * Math.exp(-(((t - at) / 0.4) ** 2));
const background = x.map(() => 100);
const first = x.map((t) => bump(t, 31, 900)),
  second = x.map((t) => bump(t, 47, 400));
const calculated = x.map((_, i) => 100 + first[i]! + second[i]!);
const y = calculated.map((v, i) => v + (i % 2 ? 20 : -20));
const CURVES: Curves = { x, y, calculated, background, phases: [first, second] };
const tick = (phase: number, h: number, at: number): Tick => ({
  phase,
  phaseId: `p${phase}`,
  name: `Phase ${phase}`,
  h,
  k: 0,
  l: 0,
  d: 2,
  x: at,
  intensity: 10,
  multiplicity: 2,
});
const MARKS: Marks = { ticks: [[tick(0, 1, 31)], [tick(1, 1, 47), tick(1, 2, 55)]], colours: ['teal', 'plum'] };

function paint(marks: Marks = MARKS, look: Look = LOOK, window: [number, number] = [20, 60], small = false) {
  const { canvas, acts } = recorder(800, 500);
  const painted = drawPattern(canvas, CURVES, window, look, marks, small);
  const strokes = (colour: string): Act[] => acts.filter((a) => a.name === 'stroke' && a.stroke === colour);
  const words = acts.filter((a) => a.name === 'fillText').map((a) => String(a.args[0]));
  return { canvas, acts, painted, strokes, words };
}

/** Points of the path that was begun last before an act. */
function pathBefore(acts: readonly Act[], act: Act): [number, number][] {
  const end = acts.indexOf(act);
  const begin = acts.slice(0, end).findLastIndex((a) => a.name === 'beginPath');
  return acts.slice(begin, end).flatMap((a) => (/To$/.test(a.name) ? [a.args as [number, number]] : []));
}

describe('the abscissa', () => {
  it('goes from 2θ to Q and d and back', () => {
    const d = { ...LOOK, scale: 'd' as const },
      q = { ...LOOK, scale: 'Q' as const };
    for (const t of [5, 28.44, 90, 140]) {
      // Bragg's law by hand.
      const spacing = 1.5406 / (2 * Math.sin((t * Math.PI) / 360));
      expect(scaled(t, d)).toBeCloseTo(spacing, 9);
      expect(scaled(t, q)).toBeCloseTo((2 * Math.PI) / spacing, 9);
      for (const look of [LOOK, d, q]) expect(unscaled(scaled(t, look), look)).toBeCloseTo(t, 9);
    }
    expect(unscaled(0.5, d)).toBeNaN();
  });

  it.each(['2θ', 'd', 'Q'] as const)('%s: a pixel comes back from its angle, and rises with it', (scale) => {
    const look = { ...LOOK, scale };
    const f = frameOf(900, 500, 3, false);
    let last = -Infinity;
    for (let px = f.left; px <= f.width - f.right; px += 37) {
      const t = toTwoTheta(px, f, [12, 118], look);
      expect(toPixel(t, f, [12, 118], look)).toBeCloseTo(px, 6);
      expect(t).toBeGreaterThan(last);
      last = t;
    }
  });

  it('is divided at round numbers', () => {
    expect(steps(20, 60, 8)).toEqual([20, 25, 30, 35, 40, 45, 50, 55, 60]);
    expect(steps(-0.3, 0.3, 6)).toEqual(expect.arrayContaining([0, 0.2]));
    expect(steps(4.1, 1.2, 3)).toEqual([2, 3, 4]);
    expect(steps(5, 5, 3)).toEqual([]);
  });

  it('leaves room for the rows of ticks and the difference', () => {
    const none = frameOf(800, 500, 0, false),
      four = frameOf(800, 500, 4, false);
    expect(four.main).toBeLessThan(none.main);
    expect(none.difference).toBe(0);
    expect(four.top + four.main + four.ticks + four.difference).toBeLessThanOrEqual(500);
  });
});

describe('a pattern on the canvas', () => {
  it('is as fine as the screen', () => {
    const { canvas, acts } = paint();
    expect([canvas.width, canvas.height]).toEqual([1600, 1000]);
    expect(acts.find((a) => a.name === 'setTransform')!.args).toEqual([2, 0, 0, 2, 0, 0]);
  });

  it('has the calculated line through its values', () => {
    const { acts, strokes, painted } = paint();
    const [line] = strokes('<indigo>');
    const points = pathBefore(acts, line!);
    expect(points).toHaveLength(COUNT);
    const { frame, yMax } = painted;
    expect(yMax).toBeCloseTo(Math.max(...y, ...calculated), 9);
    points.forEach(([px], i) => expect(px).toBeCloseTo(toPixel(x[i]!, frame, [20, 60], LOOK), 9));
    // Linear in counts: the ratio of heights above the background is that of the counts.
    const height = (i: number): number => points[0]![1] - points[i]![1];
    expect(height(110) / height(270)).toBeCloseTo(900 / 400, 2);
  });

  it('has roots of counts where that is asked', () => {
    const { acts, strokes, words } = paint(MARKS, { ...LOOK, root: true });
    const points = pathBefore(acts, strokes('<indigo>')[0]!);
    const height = (i: number): number => points[0]![1] - points[i]![1];
    expect(height(110) / height(270)).toBeCloseTo((Math.sqrt(1000) - 10) / (Math.sqrt(500) - 10), 2);
    expect(words).toContain('√ counts');
  });

  it('has the difference about its own zero, at the scale it tells', () => {
    const { acts, strokes, words, painted } = paint();
    const points = pathBefore(acts, strokes('<vermilion>')[0]!);
    const middle = painted.frame.top + painted.frame.main + painted.frame.ticks + painted.frame.difference / 2;
    points.forEach(([, py], i) => expect(Math.sign(middle - py)).toBe(i % 2 ? 1 : -1));
    expect(words).toContain('observed − calculated, ±20');
  });

  it('shows shares of the phases only when they are asked for', () => {
    const shares = (look: Look) => paint(MARKS, look).strokes('teal').length;
    expect(shares(LOOK) - shares({ ...LOOK, shares: false })).toBe(1);
  });

  it('has a tick for every reflection in the window, in the row and colour of its phase', () => {
    const { acts, strokes, painted } = paint(MARKS, { ...LOOK, shares: false });
    const ends = (colour: string) => strokes(colour).map((s) => pathBefore(acts, s));
    const [upper] = ends('teal'),
      lower = ends('plum');
    expect(lower).toHaveLength(2);
    expect(upper![0]![0]).toBeCloseTo(toPixel(31, painted.frame, [20, 60], LOOK), 9);
    expect(lower[0]![0]![1]).toBeGreaterThan(upper![1]![1]);
    expect(paint(MARKS, { ...LOOK, shares: false }, [20, 50]).strokes('plum')).toHaveLength(1);
  });

  it('lights what a constant moves and lets the rest go pale', () => {
    const lit = paint({ ...MARKS, lit: (t) => t.h === 2 }, { ...LOOK, shares: false });
    expect(lit.strokes('plum').map((s) => s.alpha)).toEqual([0.25, 1]);
    expect(lit.strokes('teal').map((s) => s.alpha)).toEqual([0.25]);
  });

  it('draws the pointed-at reflection up to its peak', () => {
    const plain = paint(MARKS, { ...LOOK, shares: false });
    const pointed = paint({ ...MARKS, hovered: MARKS.ticks[0]![0]! }, { ...LOOK, shares: false });
    expect(pointed.strokes('teal')).toHaveLength(plain.strokes('teal').length + 1);
    expect(pointed.acts.filter((a) => a.name === 'setLineDash')).toHaveLength(2);
  });

  it('shades regions that are left out, and the one being chosen', () => {
    const rectangles = (marks: Marks) => paint(marks).acts.filter((a) => a.name === 'fillRect');
    const [region, chosen] = rectangles({ ...MARKS, excluded: [[25, 27]], select: [40, 44] });
    expect(region!.fill).toContain('<soft>');
    expect(chosen!.fill).toContain('<water>');
    expect(Number(chosen!.args[2]) / Number(region!.args[2])).toBeCloseTo(2, 6);
    expect(rectangles(MARKS)).toEqual([]);
  });

  it('marks peaks at their summit, filled where a phase explains them', () => {
    const peak = (position: number) => ({ position, width: 0.6 }) as never;
    const { acts } = paint({ ...NO_MARKS, peaks: [peak(31), peak(47), peak(80)], unexplained: new Set([1]) });
    const open = acts.filter((a) => a.name === 'closePath').map((a) => a.stroke);
    expect(open).toEqual(['<pine>', '<vermilion>']);
  });

  it('small, has no words but the numbers of its axis', () => {
    const { words } = paint(MARKS, LOOK, [30, 32], true);
    expect(words.length).toBeGreaterThan(0);
    for (const word of words) expect(word).toMatch(/^[\d.]+$/);
  });

  it('names its axes', () => {
    expect(paint().words).toEqual(expect.arrayContaining(['2θ / °', 'counts']));
    expect(paint(MARKS, { ...LOOK, scale: 'd' }).words).toContain('d / Å');
    expect(paint(MARKS, { ...LOOK, scale: 'Q' }).words).toContain('Q / Å⁻¹');
  });
});

describe('the overview', () => {
  it('shows the window and the pins where they lie in the whole', () => {
    const { canvas, acts } = recorder(700, 60);
    drawOverview(canvas, CURVES, [30, 40], [[50, 55]]);
    const [pin, window] = acts.filter((a) => a.name === 'fillRect');
    const span = 700 - 58 - 14;
    expect(pin!.args[0]).toBeCloseTo(58 + 0.75 * span, 6);
    expect(window!.args[0]).toBeCloseTo(58 + 0.25 * span, 6);
    expect(window!.args[2]).toBeCloseTo(0.25 * span, 6);
    expect(acts.filter((a) => a.name === 'strokeRect')).toHaveLength(1);
  });
});
