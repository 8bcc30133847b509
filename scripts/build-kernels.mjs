/**
 * Compiles core/kernels to WebAssembly with SIMD and writes the bytes as a module that pages, workers and Node load alike.
 * The module is kept with the sources; a test compiles anew and compares.
 */
import asc from 'assemblyscript/asc';
import { readFileSync, writeFileSync } from 'node:fs';
import { fileURLToPath } from 'node:url';

const path = (name) => fileURLToPath(new URL(`../core/${name}`, import.meta.url));

/** The compiled kernel, base64. Throws Error with what the compiler says. */
export async function compileKernel() {
  const source = readFileSync(path('kernels/product.ts'), 'utf8');
  let bytes;
  const { error, stderr } = await asc.main(
    [
      'product.ts',
      '--outFile',
      'product.wasm',
      '-O3',
      '--enable',
      'simd',
      '--runtime',
      'stub',
      '--noAssert',
      '--use',
      'abort=',
    ],
    {
      readFile: (name) => (name === 'product.ts' ? source : null),
      writeFile: (name, contents) => {
        if (name === 'product.wasm') bytes = contents;
      },
      listFiles: () => [],
    },
  );
  if (error) throw new Error(`${error.message}\n${stderr}`);
  return Buffer.from(bytes).toString('base64');
}

const HEAD = '/** Written by `npm run kernels` from core/kernels: WebAssembly, base64. */\n';
export const kernelModule = (text) => `${HEAD}export const PRODUCT_KERNEL =\n  '${text}';\n`;

if (process.argv[1] === fileURLToPath(import.meta.url))
  writeFileSync(path('src/math/product-kernel.ts'), kernelModule(await compileKernel()));
