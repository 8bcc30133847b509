/** Every way to cut a crystal along a plane as a small picture from the side, the surface above. */
import { buildLayers } from '../draw/build-scene.ts';
import { extentPoints, fitCamera } from '../draw/camera.ts';
import { PAPER_COLOURS } from '../draw/colours.ts';
import { USUAL_LIGHT } from '../draw/scene.ts';
import { paintSvg } from '../draw/svg.ts';
import { bonded } from '../geometry/bonding-proposal.ts';
import { norm, type Mat3 } from '../math/matrix3.ts';
import { cutSlab } from './cut-slab.ts';
import type { Surface } from './surface.ts';

const SIZE = { width: 150, height: 110 };
/** u to the right, the normal up. */
const FROM_THE_SIDE: Mat3 = [1, 0, 0, 0, 0, 1, 0, -1, 0];
/** Å of the surface that are shown, across and deep. */
const ACROSS = 7,
  DEEP = 6;
/** Pictures beyond this many say nothing any more. */
export const MOST_PICTURES = 24;

/** One SVG for each termination, 150 × 110, in their order; no more than `MOST_PICTURES`. */
export function terminationPictures(surface: Surface): string[] {
  const layers = Math.max(1, Math.ceil(DEEP / surface.basis.spacing));
  const wide = Math.max(1, Math.ceil(ACROSS / norm(surface.vectors[0])));
  return surface.terminations.slice(0, MOST_PICTURES).map(({ index }) => {
    const { structure } = cutSlab(
      surface,
      { layers, termination: index, inPlane: [wide, 0, 0, 1] },
      { vacuum: 6, along: 'normal', bothSides: true },
    );
    const drawn = buildLayers(bonded(structure), {
      rules: [{ which: { kind: 'all' }, style: { look: 'balls' } }],
      showCell: false,
      labels: 'none',
      colours: PAPER_COLOURS,
      polyhedra: [],
      extent: { kind: 'cell' },
    });
    const camera = fitCamera(extentPoints(drawn), FROM_THE_SIDE, SIZE, { left: 6, right: 6, top: 6, bottom: 6 });
    return paintSvg({ layers: drawn, camera, light: USUAL_LIGHT, ground: PAPER_COLOURS.ground }, SIZE, {
      ground: false,
    });
  });
}
