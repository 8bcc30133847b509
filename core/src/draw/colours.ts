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
