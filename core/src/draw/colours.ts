/** Colours that a theme gives to what is drawn, and arithmetic with them. */

export interface SceneColours {
  /** Under everything. */
  readonly ground: string;
  readonly ink: string;
  readonly soft: string;
  readonly indigo: string;
  readonly water: string;
  readonly vermilion: string;
  readonly gold: string;
  readonly pine: string;
}

/** The light theme on white paper, for files. */
export const PAPER_COLOURS: SceneColours = {
  ground: '#ffffff',
  ink: '#1f2a33',
  soft: '#5a6570',
  indigo: '#23456b',
  water: '#2b7f8c',
  vermilion: '#c8452b',
  gold: '#a9761a',
  pine: '#3f6b4f',
};

/** Red, green, blue of "#rrggbb", 0–255. Throws RangeError for anything else. */
export function channels(hex: string): [number, number, number] {
  if (!/^#[0-9a-f]{6}$/i.test(hex)) throw new RangeError(`"${hex}" is not a colour of the form #rrggbb.`);
  return [1, 3, 5].map((i) => parseInt(hex.slice(i, i + 2), 16)) as [number, number, number];
}

/** "#rrggbb" of red, green and blue, 0–255. */
export const colourOfChannels = (rgb: readonly number[]): string =>
  `#${rgb
    .map((x) =>
      Math.max(0, Math.min(255, Math.round(x)))
        .toString(16)
        .padStart(2, '0'),
    )
    .join('')}`;

/** The share `part` of the second colour in the first. */
export function mixColours(a: string, b: string, part: number): string {
  const q = channels(b);
  return colourOfChannels(channels(a).map((x, i) => x + (q[i]! - x) * part));
}

/** A colour under more or less light. */
export const shadeColour = (a: string, factor: number): string => colourOfChannels(channels(a).map((x) => x * factor));

/** Relative luminance of a colour, 0–1 (IEC 61966-2-1). */
function luminance(hex: string): number {
  const [r, g, b] = channels(hex).map((v) => (v <= 10 ? v / 255 / 12.92 : ((v / 255 + 0.055) / 1.055) ** 2.4));
  return 0.2126 * r! + 0.7152 * g! + 0.0722 * b!;
}

/** Contrast of two colours, 1–21 (as the Web Content Accessibility Guidelines define it). */
export function contrastOf(a: string, b: string): number {
  const [p, q] = [luminance(a), luminance(b)];
  return (Math.max(p, q) + 0.05) / (Math.min(p, q) + 0.05);
}

/** Contrast that text needs against what it stands on. */
export const LEGIBLE = 4.5;

/** A colour moved towards black or white, whichever the ground is further from, until it can be read there. */
export function legibleOn(colour: string, ground: string): string {
  const end = contrastOf('#000000', ground) >= contrastOf('#ffffff', ground) ? '#000000' : '#ffffff';
  for (let part = 0; part < 1; part += 0.1) {
    const tried = mixColours(colour, end, part);
    if (contrastOf(tried, ground) >= LEGIBLE) return tried;
  }
  return end;
}
