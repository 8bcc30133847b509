/** Flat shapes that lie over a picture: lines and letters, in page pixels. Page, canvas and vector file paint this list and nothing else. */

export interface PathShape {
  readonly kind: 'path';
  /** As the d of an SVG path. */
  readonly d: string;
  readonly stroke?: string;
  readonly width: number;
  readonly fill?: string;
  readonly fillOpacity?: number;
  readonly dash?: readonly number[];
  /** What it belongs to, for picking. */
  readonly of?: string;
}

/** A piece of text, above or below the line, or on it. */
export interface Run {
  readonly text: string;
  readonly place: 'line' | 'above' | 'below';
}

export interface TextShape {
  readonly kind: 'text';
  /** Where it begins, and the middle of its height. */
  readonly x: number;
  readonly y: number;
  readonly runs: readonly Run[];
  /** Height of the letters, pixels. */
  readonly size: number;
  readonly colour: string;
  /** Laid around the letters, so that they can be read on whatever lies behind. */
  readonly halo?: string;
  readonly bold?: boolean;
  readonly of?: string;
}

export type Shape = PathShape | TextShape;

/** How wide text is at a size, pixels. */
export type Measure = (text: string, size: number) => number;

/** Letters above and below the line are this much smaller, and stand off it by this share of the size. */
export const SMALL = 0.72,
  OFF_LINE = 0.34;

export const runSize = (run: Run, size: number): number => (run.place === 'line' ? size : SMALL * size);

export const widthOfRuns = (runs: readonly Run[], size: number, measure: Measure): number =>
  runs.reduce((sum, r) => sum + measure(r.text, runSize(r, size)), 0);

/** A width where nothing can measure: of the letters of the font, on the mean. */
export const roughWidth: Measure = (text, size) => 0.56 * size * [...text].length;

/** Widths by those of single letters, in units of the size. */
export const measureBy =
  (letters: Readonly<Record<string, number>>): Measure =>
  (text, size) =>
    size * [...text].reduce((sum, c) => sum + (letters[c] ?? 0.56), 0);

const GREEK: Readonly<Record<string, string>> = {
  alpha: 'α', beta: 'β', gamma: 'γ', delta: 'δ', epsilon: 'ε', zeta: 'ζ', eta: 'η', theta: 'θ', kappa: 'κ', lambda: 'λ',
  mu: 'μ', nu: 'ν', xi: 'ξ', pi: 'π', rho: 'ρ', sigma: 'σ', tau: 'τ', phi: 'φ', chi: 'χ', psi: 'ψ', omega: 'ω',
  Gamma: 'Γ', Delta: 'Δ', Theta: 'Θ', Lambda: 'Λ', Pi: 'Π', Sigma: 'Σ', Phi: 'Φ', Psi: 'Ψ', Omega: 'Ω',
}; // prettier-ignore

/** Text with ^ before what stands above the line, _ before what stands below it (one character, or several in braces), and Greek letters by their names after a backslash. */
export function parseRuns(source: string): Run[] {
  const text = source.replace(/\\([A-Za-z]+)/g, (whole, name: string) => GREEK[name] ?? whole);
  const out: Run[] = [];
  const put = (piece: string, place: Run['place']): void => {
    const last = out.at(-1);
    if (!piece) return;
    if (last?.place === place) out[out.length - 1] = { text: last.text + piece, place };
    else out.push({ text: piece, place });
  };
  for (const [, mark, braced, single, plain] of text.matchAll(/(?:([_^])(?:\{([^}]*)\}|(.)))|([^_^]+|[_^])/gu)) {
    if (plain !== undefined) put(plain, 'line');
    else put(braced ?? single ?? '', mark === '^' ? 'above' : 'below');
  }
  return out;
}

const number = (x: number): string => (Math.abs(x) < 5e-3 ? '0' : String(Math.round(100 * x) / 100));
const escaped = (text: string): string =>
  text.replace(/&/g, '&amp;').replace(/</g, '&lt;').replace(/>/g, '&gt;').replace(/"/g, '&quot;');

function pathSvg(p: PathShape): string {
  const stroke = p.stroke ? ` stroke="${p.stroke}" stroke-width="${number(p.width)}" stroke-linejoin="round"` : '';
  const dash = p.dash ? ` stroke-dasharray="${p.dash.map(number).join(' ')}"` : '';
  const opacity = p.fill && p.fillOpacity !== undefined ? ` fill-opacity="${number(p.fillOpacity)}"` : '';
  return `<path d="${p.d}" fill="${p.fill ?? 'none'}"${opacity}${stroke}${dash}/>`;
}

function textSvg(t: TextShape): string {
  let off = 0;
  const spans = t.runs.map((r) => {
    const to = r.place === 'above' ? -OFF_LINE * t.size : r.place === 'below' ? OFF_LINE * t.size : 0;
    const dy = to - off;
    off = to;
    const size = r.place === 'line' ? '' : ` font-size="${number(runSize(r, t.size))}"`;
    return `<tspan${dy ? ` dy="${number(dy)}"` : ''}${size}>${escaped(r.text)}</tspan>`;
  });
  // The middle of capitals lies 0.35 of the size above the line.
  const place = `x="${number(t.x)}" y="${number(t.y + 0.35 * t.size)}" font-size="${number(t.size)}"${t.bold ? ' font-weight="bold"' : ''}`;
  // By itself and beneath: not every program paints the edge of letters before the letters.
  const halo = t.halo
    ? `<text class="halo" aria-hidden="true" ${place} fill="${t.halo}" stroke="${t.halo}" stroke-width="${number(0.25 * t.size)}" stroke-linejoin="round">${spans.join('')}</text>`
    : '';
  return `${halo}<text ${place} fill="${t.colour}">${spans.join('')}</text>`;
}

/** Shapes as SVG elements, text as text. */
export const shapesSvg = (shapes: readonly Shape[]): string =>
  shapes.map((s) => (s.kind === 'path' ? pathSvg(s) : textSvg(s))).join('');

/** A polygon or a line through points. */
export const pathThrough = (points: readonly (readonly [number, number])[], closed: boolean): string =>
  points.length ? `M${points.map(([x, y]) => `${number(x)} ${number(y)}`).join('L')}${closed ? 'Z' : ''}` : '';

/** An ellipse with half axes and a turn (degrees, clockwise). */
export function ellipsePath(x: number, y: number, rx: number, ry: number, angle: number): string {
  const a = (angle * Math.PI) / 180;
  const p = `${number(x - rx * Math.cos(a))} ${number(y - rx * Math.sin(a))}`,
    q = `${number(x + rx * Math.cos(a))} ${number(y + rx * Math.sin(a))}`;
  const arc = `A${number(rx)} ${number(ry)} ${number(angle)} 1 1`;
  return `M${p}${arc} ${q}${arc} ${p}Z`;
}
