/** Where a pattern lies on a canvas: the parts of the plot, the scale of the abscissa, and the way back from a pixel. */

export type Scale = '2θ' | 'd' | 'Q';

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

/** The quantity on the abscissa for a 2θ (degrees): itself, Q in Å⁻¹ or d in Å. */
export const scaled = (twoTheta: number, look: Look): number => {
  if (look.scale === '2θ') return twoTheta;
  const q = (4 * Math.PI * Math.sin((twoTheta * Math.PI) / 360)) / look.wavelength;
  return look.scale === 'Q' ? q : (2 * Math.PI) / q;
};

/** The 2θ, degrees, of a quantity on the abscissa; NaN where there is none. */
export const unscaled = (value: number, look: Look): number => {
  if (look.scale === '2θ') return value;
  const q = look.scale === 'Q' ? value : (2 * Math.PI) / value;
  return (360 / Math.PI) * Math.asin((q * look.wavelength) / (4 * Math.PI));
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
