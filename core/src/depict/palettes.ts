/** Colours of elements for what a figure is made for. */
import type { Structure } from '../crystal/structure.ts';
import { elementColour } from '../draw/palette.ts';
import { mixColours } from '../draw/colours.ts';
import type { StyleRule } from '../draw/style.ts';

/**
 * Hues that are told apart with any of the common kinds of colour blindness, by lightness too (after Okabe & Ito 2002,
 * "Color universal design"), in the order in which they are given away.
 */
const APART = ['#0072b2', '#e69f00', '#009e73', '#cc79a7', '#56b4e9', '#d55e00', '#f0e442', '#4d4d4d'] as const;

export const PALETTES = [
  { id: 'screen', name: 'as on screen' },
  { id: 'print', name: 'print, pale' },
  { id: 'slides', name: 'slides, strong' },
  { id: 'apart', name: 'told apart by every eye' },
  { id: 'grey', name: 'greys' },
] as const;
export type PaletteId = (typeof PALETTES)[number]['id'];

/** Share of light in a colour by eye, 0–1. */
const lightness = (hex: string): number => {
  const [r, g, b] = [1, 3, 5].map((i) => parseInt(hex.slice(i, i + 2), 16) / 255) as [number, number, number];
  return 0.3 * r + 0.59 * g + 0.11 * b;
};

const greyOf = (hex: string): string => {
  const v = Math.round(255 * (0.15 + 0.75 * lightness(hex)));
  return `#${v.toString(16).padStart(2, '0').repeat(3)}`;
};

/** Metals and other heavy atoms get the hues apart; hydrogen, carbon and oxygen keep what the trade gives them. */
const KEPT: Readonly<Record<string, string>> = { H: '#e9e5da', D: '#e9e5da', C: '#4d4d4d' };

/** The colour of every element of a structure by a palette; the usual one for names that are none. */
export function paletteColours(s: Structure, palette: string): ReadonlyMap<string, string> {
  const elements = [...new Set(s.sites.map((x) => x.element))];
  const free = elements.filter((e) => !KEPT[e]);
  const colourOf = (element: string): string => {
    const plain = elementColour(element);
    switch (palette) {
      case 'print':
        return mixColours(plain, '#ffffff', 0.32);
      case 'slides':
        return strong(plain);
      case 'apart':
        return KEPT[element] ?? APART[free.indexOf(element) % APART.length]!;
      case 'grey':
        return greyOf(plain);
      default:
        return plain;
    }
  };
  return new Map(elements.map((e) => [e, colourOf(e)]));
}

/** Away from its own grey. */
function strong(hex: string): string {
  const grey = [1, 3, 5].map((i) => parseInt(hex.slice(i, i + 2), 16));
  const mean = (grey[0]! + grey[1]! + grey[2]!) / 3;
  return `#${grey
    .map((v) => Math.max(0, Math.min(255, Math.round(mean + 1.45 * (v - mean)))))
    .map((v) => v.toString(16).padStart(2, '0'))
    .join('')}`;
}

/** Rules that give elements their colours; none for the usual palette. */
export function paletteRules(s: Structure, palette: string): StyleRule[] {
  if (!PALETTES.some((p) => p.id === palette && p.id !== 'screen')) return [];
  return [...paletteColours(s, palette)].map(([element, colour]) => ({
    which: { kind: 'element', elements: [element] },
    style: { colour },
  }));
}
