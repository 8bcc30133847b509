/** Products of dense row-major matrices, by a WebAssembly kernel with SIMD where they are large enough. */
import { PRODUCT_KERNEL } from './product-kernel.ts';

interface Kernel {
  readonly memory: WebAssembly.Memory;
  addProduct(a: number, b: number, c: number, m: number, k: number, n: number): void;
}

const PAGE = 65536,
  /** Where matrices may stand: the kernel has no data of its own. */
  FIRST = 1024;
/** Multiplications below which copying into the kernel's memory costs more than it gains. */
const WORTH_IT = 4096;

let kernel: Kernel | undefined;

function loaded(): Kernel {
  if (kernel) return kernel;
  const bytes = Uint8Array.from(atob(PRODUCT_KERNEL), (c) => c.charCodeAt(0));
  const { exports } = new WebAssembly.Instance(new WebAssembly.Module(bytes));
  kernel = exports as unknown as Kernel;
  return kernel;
}

/** Memory of so many doubles from FIRST on; views of before may be detached. */
function memoryOf(k: Kernel, doubles: number): Float64Array {
  const missing = FIRST + 8 * doubles - k.memory.buffer.byteLength;
  if (missing > 0) k.memory.grow(Math.ceil(missing / PAGE));
  return new Float64Array(k.memory.buffer, FIRST);
}

/** out += A B for A of m × k and B of k × n. */
export function addProduct(
  a: Float64Array,
  b: Float64Array,
  m: number,
  k: number,
  n: number,
  out: Float64Array,
): Float64Array {
  if (m * k * n < WORTH_IT) return addProductPlainly(a, b, m, k, n, out);
  const core = loaded();
  const atB = m * k,
    atC = atB + k * n;
  const memory = memoryOf(core, atC + m * n);
  memory.set(a.subarray(0, m * k), 0);
  memory.set(b.subarray(0, k * n), atB);
  memory.set(out.subarray(0, m * n), atC);
  core.addProduct(FIRST, FIRST + 8 * atB, FIRST + 8 * atC, m, k, n);
  out.set(memory.subarray(atC, atC + m * n));
  return out;
}

/** The same without the kernel, for small matrices and to compare with. */
export function addProductPlainly(
  a: Float64Array,
  b: Float64Array,
  m: number,
  k: number,
  n: number,
  out: Float64Array,
): Float64Array {
  for (let i = 0; i < m; i++)
    for (let p = 0; p < k; p++) {
      const x = a[i * k + p]!,
        from = p * n,
        row = i * n;
      for (let j = 0; j < n; j++) out[row + j]! += x * b[from + j]!;
    }
  return out;
}

/** A B for A of m × k and B of k × n. */
export const product = (a: Float64Array, b: Float64Array, m: number, k: number, n: number): Float64Array =>
  addProduct(a, b, m, k, n, new Float64Array(m * n));
