/** A small picture of a reference structure: its cell's contents. */
import { buildScene } from '@nagare/core/draw/build-scene';
import { paintSvg } from '@nagare/core/draw/svg';
import type { Structure } from '@nagare/core/crystal/structure';

const SIZE = { width: 150, height: 120 };

export const bareScene = (s: Structure): string =>
  `data:image/svg+xml;utf8,${encodeURIComponent(paintSvg(buildScene(s, { extent: { kind: 'packed cell' }, showCell: true }, SIZE), SIZE))}`;
