// AssemblyScript, compiled to WebAssembly by scripts/build-kernels.mjs.

/**
 * c += a b for row-major matrices of doubles in linear memory: a is m × k, b is k × n, c is m × n. Tiles of 4 × 4 elements of
 * c are kept in registers while k runs (Goto & van de Geijn 2008).
 */
export function addProduct(a: usize, b: usize, c: usize, m: i32, k: i32, n: i32): void {
  const wide = n - (n % 4);
  const tall = m - (m % 4);
  for (let i = 0; i < tall; i += 4) {
    for (let j = 0; j < wide; j += 4) tile(a, b, c, i, j, k, n);
    rest(a, b, c, i, i + 4, wide, n, k, n);
  }
  rest(a, b, c, tall, m, 0, n, k, n);
}

function at(base: usize, row: i32, column: i32, width: i32): usize {
  return base + ((<usize>(row * width + column)) << 3);
}

function tile(a: usize, b: usize, c: usize, i: i32, j: i32, k: i32, n: i32): void {
  let c00 = f64x2.splat(0),
    c01 = f64x2.splat(0);
  let c10 = f64x2.splat(0),
    c11 = f64x2.splat(0);
  let c20 = f64x2.splat(0),
    c21 = f64x2.splat(0);
  let c30 = f64x2.splat(0),
    c31 = f64x2.splat(0);
  let a0 = at(a, i, 0, k);
  const row = (<usize>k) << 3;
  const step = (<usize>n) << 3;
  let from = at(b, 0, j, n);
  const end = a0 + row;
  while (a0 < end) {
    const b0 = v128.load(from);
    const b1 = v128.load(from, 16);
    let x = v128.load64_splat(a0);
    c00 = f64x2.add(c00, f64x2.mul(x, b0));
    c01 = f64x2.add(c01, f64x2.mul(x, b1));
    x = v128.load64_splat(a0 + row);
    c10 = f64x2.add(c10, f64x2.mul(x, b0));
    c11 = f64x2.add(c11, f64x2.mul(x, b1));
    x = v128.load64_splat(a0 + 2 * row);
    c20 = f64x2.add(c20, f64x2.mul(x, b0));
    c21 = f64x2.add(c21, f64x2.mul(x, b1));
    x = v128.load64_splat(a0 + 3 * row);
    c30 = f64x2.add(c30, f64x2.mul(x, b0));
    c31 = f64x2.add(c31, f64x2.mul(x, b1));
    a0 += 8;
    from += step;
  }
  let to = at(c, i, j, n);
  add(to, c00, c01);
  to += step;
  add(to, c10, c11);
  to += step;
  add(to, c20, c21);
  to += step;
  add(to, c30, c31);
}

function add(to: usize, first: v128, second: v128): void {
  v128.store(to, f64x2.add(v128.load(to), first));
  v128.store(to, f64x2.add(v128.load(to, 16), second), 16);
}

/** Rows from … to and columns left … right of c, one element at a time. */
function rest(a: usize, b: usize, c: usize, from: i32, to: i32, left: i32, right: i32, k: i32, n: i32): void {
  for (let i = from; i < to; i++)
    for (let j = left; j < right; j++) {
      let sum: f64 = 0;
      for (let p = 0; p < k; p++) sum += load<f64>(at(a, i, p, k)) * load<f64>(at(b, p, j, n));
      const where = at(c, i, j, n);
      store<f64>(where, load<f64>(where) + sum);
    }
}
