/** What is used of gifenc, which comes without types. */
declare module 'gifenc' {
  interface Encoder {
    writeFrame(index: Uint8Array, width: number, height: number, options: { palette: number[][]; delay: number }): void;
    finish(): void;
    bytes(): Uint8Array;
  }
  export function GIFEncoder(): Encoder;
  export function quantize(rgba: Uint8ClampedArray, colours: number): number[][];
  export function applyPalette(rgba: Uint8ClampedArray, palette: number[][]): Uint8Array;
}
