/** What tasks can do beside running where they are called: all that the page and the pool know of them. */
import type { TaskName } from './registry.ts';

/** What a task can do beside running where it was called. */
export interface TaskAbilities {
  /** It shares its work out to further tasks. */
  readonly forks?: boolean;
  /** It may be sent to the server as a background job. */
  readonly server?: boolean;
  /** Fields of its input that are large and stay the same from run to run: a worker is handed them once. */
  readonly resident?: readonly string[];
}

const ABILITIES: { readonly [N in TaskName]?: TaskAbilities } = {
  recognise: { server: true },
  analyse: { server: true, resident: ['raw'] },
  merge: { server: true, resident: ['raw'] },
  solve: { forks: true, server: true, resident: ['raw'] },
  refine: { server: true, resident: ['reflections'] },
  aspherical: { server: true, resident: ['reflections'] },
  wavefunction: { server: true },
  settle: { forks: true, server: true, resident: ['reflections'] },
  plan: { resident: ['reflections'] },
  places: { resident: ['reflections'] },
  judgePlaces: { resident: ['map'] },
  elements: { resident: ['reflections'] },
  plots: { resident: ['reflections', 'raw'] },
  twins: { resident: ['reflections'] },
  mask: { resident: ['reflections'] },
  map: { resident: ['reflections'] },
  'void electrons': { resident: ['reflections'] },
  trace: { resident: ['scene'] },
  'wish surfaces': { resident: ['grids'] },
  symmetry: { server: true, resident: ['raw'] },
  vet: { server: true, resident: ['reflections', 'raw'] },
  scale: { server: true, resident: ['raw'] },
  diagnose: { resident: ['raw'] },
  compareSets: { resident: ['raw', 'other'] },
  rework: { resident: ['raw'] },
  lattice: { resident: ['raw'] },
  axes: { resident: ['raw'] },
  observations: { resident: ['raw'] },
  report: { resident: ['reflections'] },
  residual: { resident: ['reflections'] },
  cif: { resident: ['reflections'] },
  contour: { resident: ['values'] },
  fit: { server: true },
  series: { server: true },
  peaks: { resident: ['pattern'] },
  identify: { resident: ['entries'] },
  doubts: { server: true },
  index: { server: true },
  extract: { resident: ['pattern'] },
  place: { server: true },
};

/** What a task can do; nothing for a name that has no more to it. */
export const abilitiesOf = (name: string): TaskAbilities =>
  Object.hasOwn(ABILITIES, name) ? ABILITIES[name as TaskName]! : {};
