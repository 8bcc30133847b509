/** A panel of a figure as a scene, and what lies over it in page pixels. */
import { isAtomOf, positionOf, type AtomRef } from '../crystal/atom-ref.ts';
import { orthogonalization } from '../crystal/cell.ts';
import type { Structure } from '../crystal/structure.ts';
import { fitCamera, extentPoints, project, type ScreenPoint, type Size } from '../draw/camera.ts';
import { USUAL_LIGHT, type Camera, type Layer, type Optics, type Scene } from '../draw/scene.ts';
import type { CovarianceData } from '../refine/covariance.ts';
import { apply3, type Mat3, type Vec3 } from '../math/matrix3.ts';
import { PIXELS_PER_MM, type Box, type Figure, type Panel, type PanelView } from './figure.ts';

/** A panel with what it draws. */
export interface PanelScene {
  readonly panel: Panel;
  readonly structure: Structure;
  readonly layers: readonly Layer[];
  /** Of the structure's parameters, for the s.u. of what is measured. */
  readonly covariance?: CovarianceData;
}

export const sizeOfPanel = ({ box }: Pick<Panel, 'box'>): Size => ({
  width: box.width * PIXELS_PER_MM,
  height: box.height * PIXELS_PER_MM,
});

export const cameraOfView = (view: PanelView, optics: Optics): Camera => ({
  rotation: view.rotation,
  target: view.target,
  scale: view.scale / PIXELS_PER_MM,
  optics,
});

export const viewOfCamera = ({ rotation, target, scale }: Camera): PanelView => ({
  rotation,
  target,
  scale: scale * PIXELS_PER_MM,
});

export const sceneOfPanel = (figure: Figure, { panel, layers }: PanelScene): Scene => ({
  layers,
  camera: cameraOfView(panel.view, figure.optics),
  light: USUAL_LIGHT,
  ground: figure.ground,
});

/** mm left free around what a panel shows. */
const MARGIN = 3;

/** The view that holds everything of layers in a box, seen with a rotation. */
export function fittedView(layers: readonly Layer[], rotation: Mat3, box: Box): PanelView {
  const m = MARGIN * PIXELS_PER_MM;
  const margins = { left: m, right: m, top: m, bottom: m };
  return viewOfCamera(fitCamera(extentPoints(layers), rotation, sizeOfPanel({ box }), margins));
}

/** Where a point of the crystal stands on the page, pixels. */
export function onPage(figure: Figure, panel: Panel, p: Vec3): ScreenPoint {
  const at = project(cameraOfView(panel.view, figure.optics), sizeOfPanel(panel), p);
  return { ...at, x: at.x + panel.box.x * PIXELS_PER_MM, y: at.y + panel.box.y * PIXELS_PER_MM };
}

/** Cartesian places of atoms that the structure still has. */
export function placesOf(s: Structure, atoms: readonly AtomRef[]): Vec3[] {
  const m = orthogonalization(s.cell);
  return atoms.filter((a) => isAtomOf(s, a)).map((a) => apply3(m, positionOf(s, a)));
}
