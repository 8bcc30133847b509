/** Paints a pattern on a canvas: observed points, calculated line, background, shares, ticks, difference. */
import type { Peak } from '@nagare/core/powder/peaks';
import type { Tick } from './reflections.ts';

export type Scale = '2θ' | 'd' | 'Q';

export interface Curves {
  x: Float64Array;
  y: Float64Array;
  calculated?: Float64Array;
  background?: Float64Array;
  phases?: readonly Float64Array[];
}

export interface Look {
  scale: Scale;
  root: boolean;
  shares: boolean;
  wavelength: number;
}

export interface Frame {
  width: number;
  height: number;
  /** Left edge of the plot, right margin, and heights from the top: of the intensities, of the ticks, of the difference. */
  left: number;
  right: number;
  top: number;
  main: number;
  ticks: number;
  difference: number;
}

export const TICK_ROW = 13;
export const frameOf = (width: number, height: number, phases: number, small: boolean): Frame => {
  const axis = small ? 16 : 22,
    ticks = phases * (small ? 9 : TICK_ROW) + 4,
    difference = !phases ? 0 : small ? 26 : Math.min(80, height * 0.16);
  const top = small ? 18 : 10;
  return {
    width,
    height,
    left: small ? 6 : 58,
    right: small ? 6 : 14,
    top,
    main: Math.max(30, height - top - axis - ticks - difference),
    ticks,
    difference,
  };
};

/** The quantity on the abscissa for a 2θ, rising to the right in 2θ whatever it is. */
export const scaled = (twoTheta: number, look: Look): number => {
  if (look.scale === '2θ') return twoTheta;
  const q = (4 * Math.PI * Math.sin((twoTheta * Math.PI) / 360)) / look.wavelength;
  return look.scale === 'Q' ? q : (2 * Math.PI) / q;
};

const position = (twoTheta: number, look: Look): number =>
  look.scale === '2θ' ? twoTheta : Math.sin((twoTheta * Math.PI) / 360);
const fromPosition = (p: number, look: Look): number =>
  look.scale === '2θ' ? p : (Math.asin(Math.max(0, Math.min(1, p))) * 360) / Math.PI;

export const toPixel = (t: number, f: Frame, w: readonly [number, number], look: Look): number => {
  const a = position(w[0], look),
    b = position(w[1], look);
  return f.left + ((position(t, look) - a) / (b - a)) * (f.width - f.left - f.right);
};
export const toTwoTheta = (px: number, f: Frame, w: readonly [number, number], look: Look): number => {
  const a = position(w[0], look),
    b = position(w[1], look);
  return fromPosition(a + ((px - f.left) / (f.width - f.left - f.right)) * (b - a), look);
};

const first = (x: Float64Array, v: number): number => {
  let lo = 0,
    hi = x.length;
  while (lo < hi) {
    const m = (lo + hi) >> 1;
    if (x[m]! < v) lo = m + 1;
    else hi = m;
  }
  return lo;
};

/** Round steps for a range. */
export function steps(from: number, to: number, about: number): number[] {
  const raw = Math.abs(to - from) / Math.max(1, about);
  if (!(raw > 0)) return [];
  const power = 10 ** Math.floor(Math.log10(raw)),
    step = [1, 2, 5, 10].map((k) => k * power).find((s) => s >= raw)!;
  const out: number[] = [];
  for (let v = Math.ceil(Math.min(from, to) / step) * step; v <= Math.max(from, to) + 1e-9; v += step)
    out.push(Math.abs(v) < 1e-12 ? 0 : v);
  return out;
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

export function drawPattern(
  canvas: HTMLCanvasElement,
  curves: Curves,
  window: readonly [number, number],
  look: Look,
  marks: Marks,
  small = false,
): { frame: Frame; yMax: number } {
  const ratio = devicePixelRatio || 1;
  const width = canvas.clientWidth,
    height = canvas.clientHeight;
  if (canvas.width !== Math.round(width * ratio) || canvas.height !== Math.round(height * ratio)) {
    canvas.width = Math.round(width * ratio);
    canvas.height = Math.round(height * ratio);
  }
  const g = canvas.getContext('2d')!;
  g.setTransform(ratio, 0, 0, ratio, 0, 0);
  g.clearRect(0, 0, width, height);
  const style = getComputedStyle(canvas);
  const ink = (n: string): string => style.getPropertyValue(n).trim();
  const f = frameOf(width, height, marks.ticks.length, small);
  const { x, y } = curves;
  const a = Math.max(0, first(x, window[0]) - 1),
    b = Math.min(x.length, first(x, window[1]) + 1);
  let top = 1,
    low = Infinity,
    most = 0;
  for (let i = a; i < b; i++) {
    top = Math.max(top, y[i]!, curves.calculated?.[i] ?? 0);
    low = Math.min(low, y[i]!);
    if (curves.calculated) most = Math.max(most, Math.abs(y[i]! - curves.calculated[i]!));
  }
  low = Math.max(0, Math.min(low, top) * 0.6);
  const shape = (v: number): number => (look.root ? Math.sqrt(Math.max(0, v)) : v);
  const base = f.top + f.main,
    span = (shape(top) - shape(low)) * 1.06 || 1;
  const py = (v: number): number => base - ((shape(v) - shape(low)) / span) * f.main;
  const px = (t: number): number => toPixel(t, f, window, look);
  g.font = `${small ? 10 : 11}px 'IBM Plex Sans'`;
  // Excluded regions and the one being chosen.
  for (const [from, to] of marks.excluded ?? []) {
    g.fillStyle = `color-mix(in srgb, ${ink('--soft')} 16%, transparent)`;
    g.fillRect(px(from), f.top, px(to) - px(from), f.main);
  }
  if (marks.select) {
    g.fillStyle = `color-mix(in srgb, ${ink('--water')} 16%, transparent)`;
    g.fillRect(px(marks.select[0]), f.top, px(marks.select[1]) - px(marks.select[0]), f.main);
  }
  // Axes.
  g.strokeStyle = ink('--line');
  g.fillStyle = ink('--soft');
  g.lineWidth = 1;
  g.textAlign = 'center';
  const ends: [number, number] = [scaled(window[0], look), scaled(window[1], look)];
  for (const v of steps(ends[0], ends[1], small ? 3 : width / 110)) {
    const t =
      look.scale === '2θ'
        ? v
        : look.scale === 'Q'
          ? (360 / Math.PI) * Math.asin((v * look.wavelength) / (4 * Math.PI))
          : (360 / Math.PI) * Math.asin(look.wavelength / (2 * v));
    const at = px(t);
    if (!(at >= f.left && at <= width - f.right)) continue;
    if (!small) {
      g.beginPath();
      g.moveTo(at, f.top);
      g.lineTo(at, height - 20);
      g.stroke();
    }
    g.fillText(Number(v.toPrecision(6)).toString(), at, height - (small ? 4 : 7));
  }
  if (!small) {
    g.textAlign = 'right';
    for (const v of steps(low, top, f.main / 60)) {
      const at = py(v);
      if (at < f.top + 4) continue;
      g.fillText(
        v >= 10000 ? `${Number((v / 1000).toPrecision(4))}k` : String(Number(v.toPrecision(4))),
        f.left - 6,
        at + 4,
      );
      g.beginPath();
      g.moveTo(f.left - 3, at);
      g.lineTo(f.left, at);
      g.stroke();
    }
    g.textAlign = 'left';
    g.fillText(look.scale === '2θ' ? '2θ / °' : look.scale === 'Q' ? 'Q / Å⁻¹' : 'd / Å', 8, height - 7);
    g.save();
    g.translate(12, f.top + 6);
    g.rotate(-Math.PI / 2);
    g.textAlign = 'right';
    g.fillText(look.root ? '√ counts' : 'counts', 0, 2);
    g.restore();
  }
  g.save();
  g.beginPath();
  g.rect(f.left, 0, width - f.left - f.right, height);
  g.clip();
  const line = (v: Float64Array, colour: string, thick: number, offset?: Float64Array): void => {
    g.strokeStyle = colour;
    g.lineWidth = thick;
    g.beginPath();
    eachPoint(a, b, x, px, (i, at, start) => {
      const value = v[i]! + (offset?.[i] ?? 0);
      if (start) g.moveTo(at, py(value));
      else g.lineTo(at, py(value));
    });
    g.stroke();
  };
  if (look.shares && curves.phases && curves.background)
    curves.phases.forEach((p, k) => {
      if (!marks.colours[k]) return;
      g.fillStyle = `color-mix(in srgb, ${marks.colours[k]} 22%, transparent)`;
      g.beginPath();
      eachPoint(a, b, x, px, (i, at, start) => {
        const value = p[i]! + curves.background![i]!;
        if (start) g.moveTo(at, py(value));
        else g.lineTo(at, py(value));
      });
      for (let i = b - 1; i >= a; i--) g.lineTo(px(x[i]!), py(curves.background![i]!));
      g.fill();
      line(p, marks.colours[k]!, 0.8, curves.background);
    });
  // Observed: points when they are apart, else a line.
  const apart = (px(x[b - 1]!) - px(x[a]!)) / Math.max(1, b - a) > 2.2;
  g.fillStyle = ink('--ink');
  if (apart)
    for (let i = a; i < b; i++) {
      g.beginPath();
      g.arc(px(x[i]!), py(y[i]!), small ? 1.3 : 1.8, 0, 6.3);
      g.fill();
    }
  else line(y, `color-mix(in srgb, ${ink('--ink')} 80%, transparent)`, 0.9);
  if (curves.background) line(curves.background, ink('--gold'), 1.2);
  if (curves.calculated) line(curves.calculated, ink('--indigo'), apart ? 1.5 : 1.1);
  marks.peaks?.forEach((p, i) => {
    if (p.position < window[0] || p.position > window[1]) return;
    const i0 = first(x, p.position - 0.25 * p.width),
      i1 = first(x, p.position + 0.25 * p.width);
    let summit = 0;
    for (let m = i0; m <= i1 && m < x.length; m++) summit = Math.max(summit, y[m]!);
    const at = px(p.position),
      h = Math.max(f.top + 9, py(summit) - 5);
    const open = marks.unexplained?.has(i);
    g.strokeStyle = g.fillStyle = open ? ink('--vermilion') : ink('--pine');
    g.lineWidth = 1.2;
    g.beginPath();
    g.moveTo(at, h);
    g.lineTo(at - 4, h - 7);
    g.lineTo(at + 4, h - 7);
    g.closePath();
    if (open === false) g.fill();
    else g.stroke();
  });
  // Ticks.
  const row = small ? 9 : TICK_ROW;
  marks.ticks.forEach((list, k) => {
    const y0 = base + 4 + k * row;
    for (const t of list) {
      if (t.x < window[0] || t.x > window[1]) continue;
      const lit = marks.lit?.(t),
        own =
          marks.hovered &&
          t.phase === marks.hovered.phase &&
          t.h === marks.hovered.h &&
          t.k === marks.hovered.k &&
          t.l === marks.hovered.l;
      g.strokeStyle = marks.colours[k] ?? ink('--soft');
      g.globalAlpha = marks.lit && !lit && !own ? 0.25 : 1;
      g.lineWidth = own || lit ? 2.4 : 1;
      g.beginPath();
      g.moveTo(px(t.x), y0);
      g.lineTo(px(t.x), y0 + row - 3);
      g.stroke();
      if (own) {
        g.globalAlpha = 0.4;
        g.lineWidth = 1;
        g.setLineDash([3, 3]);
        g.beginPath();
        g.moveTo(px(t.x), f.top);
        g.lineTo(px(t.x), y0);
        g.stroke();
        g.setLineDash([]);
      }
    }
    g.globalAlpha = 1;
  });
  if (curves.calculated) {
    const middle = base + f.ticks + f.difference / 2,
      k = (f.difference / 2 - 2) / Math.max(most, 1e-9);
    g.strokeStyle = ink('--line');
    g.beginPath();
    g.moveTo(f.left, middle);
    g.lineTo(width, middle);
    g.stroke();
    g.strokeStyle = ink('--vermilion');
    g.lineWidth = 0.9;
    g.beginPath();
    eachPoint(a, b, x, px, (i, at, start) => {
      const v = middle - (y[i]! - curves.calculated![i]!) * k;
      if (start) g.moveTo(at, v);
      else g.lineTo(at, v);
    });
    g.stroke();
    if (!small) {
      g.fillStyle = ink('--soft');
      g.textAlign = 'left';
      g.fillText(
        `observed − calculated, ±${most >= 1000 ? `${(most / 1000).toFixed(1)}k` : most.toFixed(0)}`,
        f.left + 4,
        base + f.ticks + 11,
      );
    }
  }
  g.restore();
  return { frame: f, yMax: top };
}

/** Visits points from left to right. */
function eachPoint(
  a: number,
  b: number,
  x: Float64Array,
  px: (t: number) => number,
  visit: (i: number, at: number, start: boolean) => void,
): void {
  for (let i = a; i < b; i++) visit(i, px(x[i]!), i === a);
}

/** The whole pattern small, with the visible window. */
export function drawOverview(
  canvas: HTMLCanvasElement,
  curves: Curves,
  window: readonly [number, number],
  pins: readonly (readonly [number, number])[],
): void {
  const ratio = devicePixelRatio || 1,
    width = canvas.clientWidth,
    height = canvas.clientHeight;
  canvas.width = Math.round(width * ratio);
  canvas.height = Math.round(height * ratio);
  const g = canvas.getContext('2d')!;
  g.setTransform(ratio, 0, 0, ratio, 0, 0);
  const style = getComputedStyle(canvas),
    ink = (n: string): string => style.getPropertyValue(n).trim();
  const { x, y } = curves,
    n = x.length;
  const from = x[0]!,
    to = x[n - 1]!,
    left = 58,
    span = width - left - 14;
  let top = 1;
  for (let i = 0; i < n; i++) top = Math.max(top, y[i]!);
  const at = (t: number): number => left + ((t - from) / (to - from)) * span;
  g.strokeStyle = `color-mix(in srgb, ${ink('--ink')} 65%, transparent)`;
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
    g.fillStyle = `color-mix(in srgb, ${ink('--gold')} 30%, transparent)`;
    g.fillRect(at(p), 2, Math.max(2, at(q) - at(p)), height - 4);
  }
  g.fillStyle = `color-mix(in srgb, ${ink('--water')} 14%, transparent)`;
  g.strokeStyle = ink('--water');
  g.fillRect(at(window[0]), 1, at(window[1]) - at(window[0]), height - 2);
  g.lineWidth = 1.5;
  g.strokeRect(at(window[0]), 1, at(window[1]) - at(window[0]), height - 2);
}
