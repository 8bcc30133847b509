import { describe, expect, it } from 'vitest';
import { decodeWire, encodeWire } from './wire.ts';

const through = (value: unknown): unknown => decodeWire(encodeWire(value));

describe('the wire', () => {
  it.each([
    Float64Array.of(1.5, -0, 1e-300, Number.MAX_VALUE),
    Float32Array.of(0.1, -7),
    Int32Array.of(-5, 2147483647),
    Int16Array.of(-32768, 12),
    Uint8Array.of(0, 255),
    Uint16Array.of(65535),
    Uint32Array.of(4294967295),
    new Float64Array(0),
  ])('keeps %o to the last bit, and its kind', (array) => {
    const back = through({ array }) as { array: typeof array };
    expect(back.array.constructor).toBe(array.constructor);
    expect(new Uint8Array(back.array.buffer)).toEqual(new Uint8Array(array.buffer));
  });

  it('keeps a window of a longer array, and only that', () => {
    const whole = Float64Array.of(1, 2, 3, 4, 5);
    expect(through(whole.subarray(1, 3))).toEqual(Float64Array.of(2, 3));
  });

  it('keeps what JSON has no word for', () => {
    expect(through([NaN, Infinity, -Infinity, 1])).toEqual([NaN, Infinity, -Infinity, 1]);
    expect(
      (through({ nested: { deep: [Float64Array.of(NaN)] } }) as { nested: { deep: [Float64Array] } }).nested.deep[0][0],
    ).toBeNaN();
  });

  it('keeps plain data as they are', () => {
    const plain = { text: 'β = 104.5(2)°', list: [1, null, true], nothing: null, empty: {} };
    expect(through(plain)).toEqual(plain);
  });

  it('keeps arrays too long to be put into one call', () => {
    const long = Int32Array.from({ length: 200_000 }, (_, i) => i * 7 - 3);
    expect(through(long)).toEqual(long);
  });

  it('does not take a name that is no kind of array for one', () => {
    expect(decodeWire('{"$array":"Function","data":"AAAA"}')).toEqual({ $array: 'Function', data: 'AAAA' });
    expect(() => decodeWire('{"broken"')).toThrow(SyntaxError);
  });
});
