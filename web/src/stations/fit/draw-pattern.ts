/** Paints a pattern on a canvas: observed points, calculated line, background, shares, ticks, difference. */
import { lowerBound } from '@nagare/core/powder/fitted-points';
import type { Peak } from '@nagare/core/powder/peaks';
import { frameOf, scaled, steps, TICK_ROW, toPixel, unscaled, type Frame, type Look } from './pattern-frame.ts';
import type { Tick } from './reflections.ts';

export interface Curves {
  x: Float64Array;
  y: Float64Array;
  calculated?: Float64Array;
  background?: Float64Array;
  phases?: readonly Float64Array[];
}

export interface Marks {
  ticks: readonly (readonly Tick[])[];
  colours: readonly string[];
  hovered?: Tick;
  /** Whether a tick is lit. */
  lit?: (t: Tick) => boolean;
  peaks?: readonly Peak[];
  unexplained?: ReadonlySet<number>;
  excluded?: readonly (readonly [number, number])[];
  select?: readonly [number, number];
}

/** A canvas made as fine as its screen, cleared, in units of CSS pixels; with the colours of the theme. */
function prepared(canvas: HTMLCanvasElement) {
  const ratio = devicePixelRatio || 1;
  const { clientWidth: width, clientHeight: height } = canvas;
  if (canvas.width !== Math.round(width * ratio) || canvas.height !== Math.round(height * ratio)) {
    canvas.width = Math.round(width * ratio);
    canvas.height = Math.round(height * ratio);
  }
  const g = canvas.getContext('2d')!;
  g.setTransform(ratio, 0, 0, ratio, 0, 0);
  g.clearRect(0, 0, width, height);
  const style = getComputedStyle(canvas);
  return { g, width, height, ink: (token: string): string => style.getPropertyValue(token).trim() };
}

/** A colour let through to a percentage. */
const pale = (colour: string, percentage: number): string =>
  `color-mix(in srgb, ${colour} ${percentage}%, transparent)`;

export interface Painted {
  readonly frame: Frame;
  /** Largest observed or calculated value in the window. */
  readonly yMax: number;
}

/** Paints the part of a pattern that lies in the window, degrees 2θ. `small` leaves out axes and words. */
export function drawPattern(
  canvas: HTMLCanvasElement,
  curves: Curves,
  window: readonly [number, number],
  look: Look,
  marks: Marks,
  small = false,
): Painted {
  const { g, width, height, ink } = prepared(canvas);
  const frame = frameOf(width, height, marks.ticks.length, small);
  return new PatternPainter(g, frame, ink, { curves, window, look, marks, small }).paint();
}

interface Subject {
  readonly curves: Curves;
  readonly window: readonly [number, number];
  readonly look: Look;
  readonly marks: Marks;
  readonly small: boolean;
}

class PatternPainter {
  /** First point of the window and the one after its last. */
  private readonly from: number;
  private readonly to: number;
  private readonly top: number;
  private readonly low: number;
  /** Largest difference in the window. */
  private readonly most: number;
  /** Height of the zero line of the intensities. */
  private readonly base: number;
  private readonly span: number;

  constructor(
    private readonly g: CanvasRenderingContext2D,
    private readonly f: Frame,
    private readonly ink: (token: string) => string,
    private readonly subject: Subject,
  ) {
    const { curves, window } = subject;
    const { x, y, calculated } = curves;
    this.from = Math.max(0, lowerBound(x, window[0]) - 1);
    this.to = Math.min(x.length, lowerBound(x, window[1]) + 1);
    let top = 1,
      low = Infinity,
      most = 0;
    for (let i = this.from; i < this.to; i++) {
      top = Math.max(top, y[i]!, calculated?.[i] ?? 0);
      low = Math.min(low, y[i]!);
      if (calculated) most = Math.max(most, Math.abs(y[i]! - calculated[i]!));
    }
    this.top = top;
    this.low = Math.max(0, Math.min(low, top) * 0.6);
    this.most = most;
    this.base = f.top + f.main;
    this.span = (this.shape(top) - this.shape(this.low)) * 1.06 || 1;
  }

  paint(): Painted {
    const { g, f } = this;
    g.font = `${this.subject.small ? 10 : 11}px 'IBM Plex Sans'`;
    this.regions();
    this.abscissa();
    if (!this.subject.small) this.ordinate();
    g.save();
    g.beginPath();
    g.rect(f.left, 0, f.width - f.left - f.right, f.height);
    g.clip();
    this.shares();
    this.lines();
    this.peaks();
    this.ticks();
    this.difference();
    g.restore();
    return { frame: f, yMax: this.top };
  }

  private shape(v: number): number {
    return this.subject.look.root ? Math.sqrt(Math.max(0, v)) : v;
  }

  private px(t: number): number {
    return toPixel(t, this.f, this.subject.window, this.subject.look);
  }

  private py(v: number): number {
    return this.base - ((this.shape(v) - this.shape(this.low)) / this.span) * this.f.main;
  }

  /** Excluded regions and the one being chosen. */
  private regions(): void {
    const { excluded, select } = this.subject.marks;
    const shade = ([from, to]: readonly [number, number], token: string): void => {
      this.g.fillStyle = pale(this.ink(token), 16);
      this.g.fillRect(this.px(from), this.f.top, this.px(to) - this.px(from), this.f.main);
    };
    for (const region of excluded ?? []) shade(region, '--soft');
    if (select) shade(select, '--water');
  }

  private abscissa(): void {
    const { g, f } = this;
    const { window, look, small } = this.subject;
    g.strokeStyle = this.ink('--line');
    g.fillStyle = this.ink('--soft');
    g.lineWidth = 1;
    g.textAlign = 'center';
    for (const v of steps(scaled(window[0], look), scaled(window[1], look), small ? 3 : f.width / 110)) {
      const at = this.px(unscaled(v, look));
      if (!(at >= f.left && at <= f.width - f.right)) continue;
      if (!small) this.stroke([at, f.top], [at, f.height - 20]);
      g.fillText(Number(v.toPrecision(6)).toString(), at, f.height - (small ? 4 : 7));
    }
  }

  private ordinate(): void {
    const { g, f } = this;
    const { look } = this.subject;
    g.textAlign = 'right';
    for (const v of steps(this.low, this.top, f.main / 60)) {
      const at = this.py(v);
      if (at < f.top + 4) continue;
      const text = v >= 10000 ? `${Number((v / 1000).toPrecision(4))}k` : String(Number(v.toPrecision(4)));
      g.fillText(text, f.left - 6, at + 4);
      this.stroke([f.left - 3, at], [f.left, at]);
    }
    g.textAlign = 'left';
    g.fillText({ '2θ': '2θ / °', Q: 'Q / Å⁻¹', d: 'd / Å' }[look.scale], 8, f.height - 7);
    g.save();
    g.translate(12, f.top + 6);
    g.rotate(-Math.PI / 2);
    g.textAlign = 'right';
    g.fillText(look.root ? '√ counts' : 'counts', 0, 2);
    g.restore();
  }

  private stroke(from: readonly [number, number], to: readonly [number, number]): void {
    this.g.beginPath();
    this.g.moveTo(...from);
    this.g.lineTo(...to);
    this.g.stroke();
  }

  /** The path of a value at each point of the window, from left to right. */
  private path(height: (i: number) => number): void {
    const { x } = this.subject.curves;
    this.g.beginPath();
    for (let i = this.from; i < this.to; i++) {
      if (i === this.from) this.g.moveTo(this.px(x[i]!), height(i));
      else this.g.lineTo(this.px(x[i]!), height(i));
    }
  }

  private line(v: Float64Array, colour: string, thick: number, offset?: Float64Array): void {
    this.g.strokeStyle = colour;
    this.g.lineWidth = thick;
    this.path((i) => this.py(v[i]! + (offset?.[i] ?? 0)));
    this.g.stroke();
  }

  /** What each phase adds, filled over the background. */
  private shares(): void {
    const { curves, look, marks } = this.subject;
    const { x, phases, background } = curves;
    if (!look.shares || !phases || !background) return;
    phases.forEach((p, k) => {
      const colour = marks.colours[k];
      if (!colour) return;
      this.g.fillStyle = pale(colour, 22);
      this.path((i) => this.py(p[i]! + background[i]!));
      for (let i = this.to - 1; i >= this.from; i--) this.g.lineTo(this.px(x[i]!), this.py(background[i]!));
      this.g.fill();
      this.line(p, colour, 0.8, background);
    });
  }

  /** Observed points where they are apart, else a line; background and calculated line. */
  private lines(): void {
    const { g, from, to } = this;
    const { curves, small } = this.subject;
    const { x, y, background, calculated } = curves;
    const apart = (this.px(x[to - 1]!) - this.px(x[from]!)) / Math.max(1, to - from) > 2.2;
    g.fillStyle = this.ink('--ink');
    if (apart)
      for (let i = from; i < to; i++) {
        g.beginPath();
        g.arc(this.px(x[i]!), this.py(y[i]!), small ? 1.3 : 1.8, 0, 6.3);
        g.fill();
      }
    else this.line(y, pale(this.ink('--ink'), 80), 0.9);
    if (background) this.line(background, this.ink('--gold'), 1.2);
    if (calculated) this.line(calculated, this.ink('--indigo'), apart ? 1.5 : 1.1);
  }

  /** A small triangle over the summit of each peak that was found, open where no phase explains it. */
  private peaks(): void {
    const { g, f } = this;
    const { curves, marks, window } = this.subject;
    const { x, y } = curves;
    marks.peaks?.forEach((p, i) => {
      if (p.position < window[0] || p.position > window[1]) return;
      const last = lowerBound(x, p.position + 0.25 * p.width);
      let summit = 0;
      for (let m = lowerBound(x, p.position - 0.25 * p.width); m <= last && m < x.length; m++)
        summit = Math.max(summit, y[m]!);
      const at = this.px(p.position),
        h = Math.max(f.top + 9, this.py(summit) - 5);
      const open = marks.unexplained?.has(i);
      g.strokeStyle = g.fillStyle = this.ink(open ? '--vermilion' : '--pine');
      g.lineWidth = 1.2;
      g.beginPath();
      g.moveTo(at, h);
      g.lineTo(at - 4, h - 7);
      g.lineTo(at + 4, h - 7);
      g.closePath();
      if (open === false) g.fill();
      else g.stroke();
    });
  }

  /** A row of reflections for each phase. */
  private ticks(): void {
    const { marks, window } = this.subject;
    marks.ticks.forEach((list, row) => {
      for (const t of list) if (t.x >= window[0] && t.x <= window[1]) this.tick(t, row);
    });
    this.g.globalAlpha = 1;
  }

  private tick(t: Tick, index: number): void {
    const { g, f } = this;
    const { marks, small } = this.subject;
    const row = small ? 9 : TICK_ROW;
    const y0 = this.base + 4 + index * row,
      at = this.px(t.x);
    const lit = marks.lit?.(t),
      own = marks.hovered && isTick(t, marks.hovered);
    g.strokeStyle = marks.colours[index] ?? this.ink('--soft');
    g.globalAlpha = marks.lit && !lit && !own ? 0.25 : 1;
    g.lineWidth = own || lit ? 2.4 : 1;
    this.stroke([at, y0], [at, y0 + row - 3]);
    if (!own) return;
    g.globalAlpha = 0.4;
    g.lineWidth = 1;
    g.setLineDash([3, 3]);
    this.stroke([at, f.top], [at, y0]);
    g.setLineDash([]);
  }

  private difference(): void {
    const { g, f, most } = this;
    const { curves, small } = this.subject;
    const { y, calculated } = curves;
    if (!calculated) return;
    const middle = this.base + f.ticks + f.difference / 2,
      k = (f.difference / 2 - 2) / Math.max(most, 1e-9);
    g.strokeStyle = this.ink('--line');
    this.stroke([f.left, middle], [f.width, middle]);
    g.strokeStyle = this.ink('--vermilion');
    g.lineWidth = 0.9;
    this.path((i) => middle - (y[i]! - calculated[i]!) * k);
    g.stroke();
    if (small) return;
    g.fillStyle = this.ink('--soft');
    g.textAlign = 'left';
    const reach = most >= 1000 ? `${(most / 1000).toFixed(1)}k` : most.toFixed(0);
    const text = `observed − calculated, ±${reach}`;
    const [left, top] = [f.left + 4, this.base + f.ticks + 11];
    // The curve may reach up here: the words keep a ground of their own.
    g.strokeStyle = this.ink('--scene');
    g.lineWidth = 4;
    g.strokeText(text, left, top);
    g.fillText(text, left, top);
  }
}

const isTick = (a: Tick, b: Tick): boolean => a.phase === b.phase && a.h === b.h && a.k === b.k && a.l === b.l;

/** The whole pattern small, with the visible window. */
export function drawOverview(
  canvas: HTMLCanvasElement,
  curves: Curves,
  window: readonly [number, number],
  pins: readonly (readonly [number, number])[],
): void {
  const { g, width, height, ink } = prepared(canvas);
  const { x, y } = curves,
    n = x.length;
  const from = x[0]!,
    to = x[n - 1]!,
    left = 58,
    span = width - left - 14;
  let top = 1;
  for (let i = 0; i < n; i++) top = Math.max(top, y[i]!);
  const at = (t: number): number => left + ((t - from) / (to - from)) * span;
  g.strokeStyle = pale(ink('--ink'), 65);
  g.lineWidth = 0.8;
  g.beginPath();
  for (let c = 0; c < span; c++) {
    const i0 = Math.floor((c / span) * n),
      i1 = Math.max(i0 + 1, Math.floor(((c + 1) / span) * n));
    let high = 0;
    for (let i = i0; i < i1 && i < n; i++) high = Math.max(high, y[i]!);
    const v = height - 4 - Math.sqrt(high / top) * (height - 8);
    if (c) g.lineTo(left + c, v);
    else g.moveTo(left + c, v);
  }
  g.stroke();
  for (const [p, q] of pins) {
    g.fillStyle = pale(ink('--gold'), 30);
    g.fillRect(at(p), 2, Math.max(2, at(q) - at(p)), height - 4);
  }
  g.fillStyle = pale(ink('--water'), 14);
  g.strokeStyle = ink('--water');
  g.fillRect(at(window[0]), 1, at(window[1]) - at(window[0]), height - 2);
  g.lineWidth = 1.5;
  g.strokeRect(at(window[0]), 1, at(window[1]) - at(window[0]), height - 2);
}
