/** A small picture of a reference structure: its cell's contents. */
import { buildScene } from '@nagare/core/draw/scene';
import { paintSvg } from '@nagare/core/draw/svg';
import type { Structure } from '@nagare/core/crystal/structure';

export const bareScene = (s: Structure): string =>
  `data:image/svg+xml;utf8,${encodeURIComponent(paintSvg(buildScene(s, { extent: 'cell', style: 'balls', probability: 0.5, showHydrogen: true, showCell: true }), 150, 120))}`;
