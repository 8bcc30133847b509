/** Free ways through a crystal as balls and tubes. */
import { orthogonalization, type Cell } from '../crystal/cell.ts';
import type { AtomPrimitive, BondPrimitive, Layer } from '../draw/scene.ts';
import type { Region } from '../maps/isosurface.ts';
import { add, apply3, type Vec3 } from '../math/matrix3.ts';
import type { VoidNetwork } from '../space/network.ts';

/** Balls and tubes of the network are drawn so much smaller than they are, that the ways between can be followed. */
const NETWORK_SCALE = 0.3;

export interface NetworkLook {
  readonly chambers: string;
  readonly ways: string;
  /** 0–1 */
  readonly opacity: number;
}

const ONE_CELL: Region = { min: [0, 0, 0], max: [1, 1, 1] };

/** Lattice shifts of the cells of a region. */
function cellsOf({ min, max }: Region): Vec3[] {
  const axis = (k: 0 | 1 | 2): number[] => Array.from({ length: max[k] - min[k] }, (_, i) => min[k] + i);
  return axis(0).flatMap((x) => axis(1).flatMap((y) => axis(2).map((z): Vec3 => [x, y, z])));
}

/** Chambers as balls and the ways between them as tubes, of whole cells; where a way leads out of them, with the ball at its end. */
export function networkLayers(
  { chambers, ways }: VoidNetwork,
  cell: Cell,
  look: NetworkLook,
  region: Region = ONE_CELL,
): Layer[] {
  const m = orthogonalization(cell);
  const radius = (diameter: number): number => (NETWORK_SCALE * diameter) / 2;
  const balls = new Map<string, AtomPrimitive>();
  const addBall = (number: number, shift: Vec3): void => {
    const key = `${number} ${shift.join(' ')}`;
    if (balls.has(key)) return;
    const { at, diameter } = chambers[number]!;
    const r = radius(diameter);
    balls.set(key, {
      ref: { site: `chamber ${number + 1}`, operator: 0, shift },
      position: apply3(m, add(at, shift)),
      element: '',
      label: '',
      colour: look.chambers,
      axes: [
        [r, 0, 0],
        [0, r, 0],
        [0, 0, r],
      ],
      shape: 'sphere',
      opacity: look.opacity,
    });
  };
  const tubes: BondPrimitive[] = [];
  for (const shift of cellsOf(region)) {
    for (const i of chambers.keys()) addBall(i, shift);
    for (const w of ways) {
      const end = add(shift, w.over);
      addBall(w.to, end);
      const from = apply3(m, add(chambers[w.from]!.at, shift)),
        middle = apply3(m, add(w.at, shift)),
        to = apply3(m, add(chambers[w.to]!.at, end));
      const tube = { colours: [look.ways, look.ways] as const, radius: radius(w.diameter), opacity: look.opacity };
      tubes.push({ from, to: middle, ...tube }, { from: middle, to, ...tube });
    }
  }
  return [
    { kind: 'atoms', name: 'pores', items: [...balls.values()] },
    { kind: 'bonds', name: 'pores', items: tubes },
  ];
}
