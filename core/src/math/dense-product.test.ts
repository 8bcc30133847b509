import { describe, expect, it } from 'vitest';
import { compileKernel, kernelModule } from '../../../scripts/build-kernels.mjs';
import { readFileSync } from 'node:fs';
import { addProduct, addProductPlainly } from './dense-product.ts';
import { seededRandom } from './random.ts';

const random = seededRandom(4);
const matrix = (n: number): Float64Array => Float64Array.from({ length: n }, () => random.normal());

describe('the product of dense matrices', () => {
  it.each([
    [4, 4, 4],
    [17, 33, 9],
    [40, 1, 41],
    [1, 200, 30],
    [63, 64, 65],
  ])('of %i × %i and … × %i is what the plain sums are, added to what is there', (m, k, n) => {
    const [a, b, c] = [matrix(m * k), matrix(k * n), matrix(m * n)];
    const fast = addProduct(a, b, m, k, n, Float64Array.from(c));
    const plain = addProductPlainly(a, b, m, k, n, Float64Array.from(c));
    for (let i = 0; i < fast.length; i++) expect(fast[i]).toBeCloseTo(plain[i]!, 10);
  });

  it('grows with what it is given', () => {
    const n = 300;
    const a = matrix(n * n),
      one = new Float64Array(n * n);
    for (let i = 0; i < n; i++) one[i * n + i] = 1;
    expect(addProduct(a, one, n, n, n, new Float64Array(n * n))).toEqual(a);
  });
});

describe('the kernel that is kept', () => {
  it('is what its source compiles to', async () => {
    const kept = readFileSync(new URL('./product-kernel.ts', import.meta.url), 'utf8');
    expect(kept).toBe(kernelModule(await compileKernel()));
  });
});
