/** Colours of phases in their order, from the palette; chosen to be told apart in both themes. */
const COLOURS = ['#2b7f8c', '#a9761a', '#7a4f8a', '#3f6b4f', '#b0533c', '#4a6fa5', '#8a8340', '#93526b'];
export const phaseColour = (i: number): string => COLOURS[i % COLOURS.length]!;
