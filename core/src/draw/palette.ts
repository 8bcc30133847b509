/** Element colours: the trade's hydrogen white, carbon grey, nitrogen blue, oxygen red, and for the rest Nagare's own hues. */
const COLOURS: Record<string, string> = {
  H: '#E9E5DA',
  D: '#DCE6EA',
  C: '#56606A',
  N: '#2F5FA8',
  O: '#C8452B',
  F: '#7DA34A',
  Cl: '#3F8F5B',
  Br: '#8A4B2A',
  I: '#6A3D78',
  S: '#C9A227',
  P: '#C9762B',
  B: '#B98D7B',
  Si: '#A88F6A',
  Se: '#B5772B',
  Fe: '#A5502E',
  Cu: '#8C5A2B',
  Zn: '#6D7F91',
  Co: '#3D5A9E',
  Ni: '#4F8576',
  Mn: '#7C5A86',
  Na: '#7C6BB0',
  K: '#71549E',
  Mg: '#6E9A6B',
  Ca: '#5B8F86',
  Al: '#9B93A0',
  Ti: '#8A929B',
};
const FAMILY = ['#6B7B8C', '#80705E', '#5E7F79', '#7A6486', '#8B7A4A', '#5C6F9A'];

/** Hex colour of an element. */
export const elementColour = (symbol: string): string =>
  COLOURS[symbol] ?? FAMILY[(symbol.charCodeAt(0) + (symbol.charCodeAt(1) || 0)) % FAMILY.length]!;
