/** Structure types of the textbooks, as literature gives them: for tests, never for the application. */
import { spaceGroupFromSymbol } from '../../core/src/crystal/settings.ts';
import type { Structure } from '../../core/src/crystal/structure.ts';

export type Place = readonly [element: string, x: number, y: number, z: number];

/** A structure of the textbooks; angles of 90° (120° for γ of hexagonal axes). */
export function textbook(symbol: string, a: number, c: number, places: readonly Place[]): Structure {
  const hexagonal = /^[PR] -?[36]/.test(symbol);
  return {
    cell: { a, b: a, c, alpha: 90, beta: 90, gamma: hexagonal ? 120 : 90 },
    spaceGroup: spaceGroupFromSymbol(symbol),
    sites: places.map(([element, ...position], i) => ({
      id: `s${i}`,
      label: `${element}${i + 1}`,
      element,
      position,
      occupancy: 1,
      displacement: { kind: 'iso', u: 0.01 },
    })),
  };
}
export const rutile = (metal: string, a: number, c: number, u: number): Structure =>
  textbook('P 42/m n m', a, c, [
    [metal, 0, 0, 0],
    ['O', u, u, 0],
  ]);
export const halite = (metal: string, a: number, anion = 'O'): Structure =>
  textbook('F m -3 m', a, a, [
    [metal, 0, 0, 0],
    [anion, 0.5, 0.5, 0.5],
  ]);
export const fluorite = (corner: string, inside: string, a: number): Structure =>
  textbook('F m -3 m', a, a, [
    [corner, 0, 0, 0],
    [inside, 0.25, 0.25, 0.25],
  ]);
export const corundum = (metal: string, a: number, c: number, z: number, x: number): Structure =>
  textbook('R -3 c', a, c, [
    [metal, 0, 0, z],
    ['O', x, 0, 0.25],
  ]);

export const sphalerite = (metal: string, anion: string, a: number): Structure =>
  textbook('F -4 3 m', a, a, [
    [metal, 0, 0, 0],
    [anion, 0.25, 0.25, 0.25],
  ]);
export const caesiumChloride = (a = 4.123): Structure =>
  textbook('P m -3 m', a, a, [
    ['Cs', 0, 0, 0],
    ['Cl', 0.5, 0.5, 0.5],
  ]);
/** The large ion at the corner, the small one in the middle. */
export const perovskite = (large: string, small: string, a: number): Structure =>
  textbook('P m -3 m', a, a, [
    [large, 0, 0, 0],
    [small, 0.5, 0.5, 0.5],
    ['O', 0.5, 0.5, 0],
  ]);
export const calcite = (): Structure =>
  textbook('R -3 c', 4.9896, 17.061, [
    ['Ca', 0, 0, 0],
    ['C', 0, 0, 0.25],
    ['O', 0.2568, 0, 0.25],
  ]);
export const quartz = (): Structure =>
  textbook('P 32 2 1', 4.9134, 5.4052, [
    ['Si', 0.4697, 0, 2 / 3],
    ['O', 0.4135, 0.2669, 0.7858],
  ]);
export const pyrite = (): Structure =>
  textbook('P a -3', 5.4166, 5.4166, [
    ['Fe', 0, 0, 0],
    ['S', 0.385, 0.385, 0.385],
  ]);
export const spinel = (): Structure =>
  textbook('F d -3 m', 8.0858, 8.0858, [
    ['Mg', 0.125, 0.125, 0.125],
    ['Al', 0.5, 0.5, 0.5],
    ['O', 0.2624, 0.2624, 0.2624],
  ]);
export const brucite = (): Structure =>
  textbook('P -3 m 1', 3.142, 4.766, [
    ['Mg', 0, 0, 0],
    ['O', 1 / 3, 2 / 3, 0.2203],
    ['H', 1 / 3, 2 / 3, 0.4231],
  ]);
export const graphite = (): Structure =>
  textbook('P 63/m m c', 2.464, 6.711, [
    ['C', 0, 0, 0.25],
    ['C', 1 / 3, 2 / 3, 0.25],
  ]);
export const copper = (): Structure => textbook('F m -3 m', 3.6149, 3.6149, [['Cu', 0, 0, 0]]);
