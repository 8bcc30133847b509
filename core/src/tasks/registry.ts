/**
 * The registry of jobs: the page's workers, the server and the terminal run these very functions. It says by name where a job stands;
 * what a job needs is loaded when it is first asked for. What a job can do stands in `abilities.ts`, for those who only hand jobs over.
 */
import { issuePhrase } from '../formats/issue-words.ts';
import { breathingContext, type TaskContext } from '../task-context.ts';
import type { Task } from './task.ts';

const intakeTasks = () => import('./intake-tasks.ts');
const solveTasks = () => import('./solve-tasks.ts');
const refineTasks = () => import('./refine-tasks.ts');
const waveTasks = () => import('./wave-tasks.ts');
const modelTasks = () => import('./model-tasks.ts');
const relateTasks = () => import('./relate-task.ts');
const expectedTasks = () => import('./expected-task.ts');
const publishTasks = () => import('./publish-tasks.ts');
const shapeTasks = () => import('./shape-task.ts');
const voidsTasks = () => import('./voids-task.ts');
const compareTasks = () => import('./compare-task.ts');
const figureTasks = () => import('./figure-tasks.ts');
const lookTasks = () => import('./look-tasks.ts');
const measureTasks = () => import('./measure-tasks.ts');
const buildTasks = () => import('./build-task.ts');
const contactsTasks = () => import('./contacts-task.ts');
const energiesTasks = () => import('./energies-task.ts');
const traceTasks = () => import('./trace-task.ts');
const surfaceTasks = () => import('./surface-task.ts');
const wishesTasks = () => import('./wishes-task.ts');
const fromSymmetryTasks = () => import('./from-symmetry-task.ts');
const buildSearches = () => import('./build-searches.ts');
const leaveTasks = () => import('./leave-task.ts');
const symmetryTasks = () => import('./symmetry-tasks.ts');
const vetTasks = () => import('./vet-task.ts');
const dataTasks = () => import('./data-tasks.ts');
const contourTasks = () => import('./contour-task.ts');
const sceneTasks = () => import('./scene-task.ts');
const powderTasks = () => import('./powder-tasks.ts');
const networkTasks = () => import('./network-tasks.ts');

/** A job by the module that has it and its name there. */
const job =
  <M, K extends keyof M>(module: () => Promise<M>, name: K) =>
  async (): Promise<M[K]> =>
    (await module())[name];

export const TASKS = {
  recognise: job(intakeTasks, 'recogniseTask'),
  analyse: job(intakeTasks, 'analyseTask'),
  merge: job(intakeTasks, 'mergeTask'),
  phase: job(solveTasks, 'phaseTask'),
  solve: job(solveTasks, 'solveTask'),
  refine: job(refineTasks, 'refineTask'),
  aspherical: job(waveTasks, 'asphericalTask'),
  'wave parts': job(waveTasks, 'wavePartsTask'),
  'wave forecast': job(waveTasks, 'waveForecastTask'),
  wavefunction: job(waveTasks, 'wavefunctionTask'),
  settle: job(refineTasks, 'settleTask'),
  plan: job(modelTasks, 'planTask'),
  places: job(modelTasks, 'placesTask'),
  judgePlaces: job(modelTasks, 'judgePlacesTask'),
  elements: job(modelTasks, 'elementsTask'),
  plots: job(modelTasks, 'plotsTask'),
  twins: job(modelTasks, 'twinsTask'),
  mask: job(modelTasks, 'maskTask'),
  map: job(modelTasks, 'mapTask'),
  match: job(modelTasks, 'matchTask'),
  relate: job(relateTasks, 'relateTask'),
  'expected pattern': job(expectedTasks, 'expectedPatternTask'),
  'expected factors': job(expectedTasks, 'expectedFactorsTask'),
  'reciprocal layer': job(expectedTasks, 'reciprocalLayerTask'),
  'measured beside': job(expectedTasks, 'measuredBesideTask'),
  known: job(publishTasks, 'knownTask'),
  'crystal shape': job(shapeTasks, 'shapeTask'),
  'face view': job(shapeTasks, 'faceViewTask'),
  voids: job(voidsTasks, 'voidsTask'),
  'void network': job(voidsTasks, 'voidNetworkTask'),
  'void electrons': job(voidsTasks, 'voidElectronsTask'),
  'void curve': job(voidsTasks, 'voidCurveTask'),
  'compare crystals': job(compareTasks, 'compareTask'),
  'new figure': job(figureTasks, 'newFigureTask'),
  drawing: job(figureTasks, 'drawingTask'),
  'figure svg': job(figureTasks, 'figureSvgTask'),
  'figure thumb': job(figureTasks, 'figureThumbTask'),
  cages: job(figureTasks, 'cagesTask'),
  'cage places': job(figureTasks, 'cagePlacesTask'),
  channels: job(figureTasks, 'channelsTask'),
  'drawn rings': job(figureTasks, 'drawnRingsTask'),
  'channel places': job(figureTasks, 'channelPlacesTask'),
  'first look': job(lookTasks, 'firstLookTask'),
  pairs: job(lookTasks, 'pairsTask'),
  portrait: job(lookTasks, 'portraitTask'),
  lengths: job(measureTasks, 'lengthsTask'),
  overlay: job(measureTasks, 'overlayTask'),
  build: job(buildTasks, 'buildTask'),
  contacts: job(contactsTasks, 'contactsTask'),
  energies: job(energiesTasks, 'energiesTask'),
  trace: job(traceTasks, 'traceTask'),
  'molecule surface': job(surfaceTasks, 'surfaceTask'),
  wishes: job(wishesTasks, 'wishesTask'),
  'wish surfaces': job(wishesTasks, 'wishSurfacesTask'),
  'from symmetry': job(fromSymmetryTasks, 'fromSymmetryTask'),
  'search cells': job(buildSearches, 'searchCellsTask'),
  'common cells': job(buildSearches, 'commonCellsTask'),
  'termination pictures': job(buildSearches, 'terminationPicturesTask'),
  pores: job(buildSearches, 'poresTask'),
  leave: job(leaveTasks, 'leaveTask'),
  symmetry: job(symmetryTasks, 'symmetryTask'),
  raise: job(symmetryTasks, 'raiseTask'),
  vet: job(vetTasks, 'vetTask'),
  scale: job(dataTasks, 'scaleTask'),
  diagnose: job(dataTasks, 'diagnoseTask'),
  compareSets: job(dataTasks, 'compareSetsTask'),
  rework: job(dataTasks, 'reworkTask'),
  lattice: job(dataTasks, 'latticeTask'),
  axes: job(dataTasks, 'axesTask'),
  observations: job(dataTasks, 'observationsTask'),
  table: job(publishTasks, 'tableTask'),
  report: job(publishTasks, 'reportTask'),
  cifProblems: job(publishTasks, 'cifProblemsTask'),
  residual: job(refineTasks, 'residualTask'),
  cif: job(publishTasks, 'cifTask'),
  contour: job(contourTasks, 'contourTask'),
  scene: job(sceneTasks, 'sceneTask'),
  fit: job(powderTasks, 'fitTask'),
  series: job(powderTasks, 'seriesTask'),
  peaks: job(powderTasks, 'peaksTask'),
  identify: job(powderTasks, 'identifyTask'),
  doubts: job(powderTasks, 'doubtsTask'),
  index: job(powderTasks, 'indexTask'),
  extract: job(powderTasks, 'extractTask'),
  place: job(powderTasks, 'placeTask'),
  fitCif: job(powderTasks, 'fitCifTask'),
  answer: job(networkTasks, 'answerTask'),
  wire: job(networkTasks, 'wireTask'),
} as const;

export type TaskName = keyof typeof TASKS;
type Loaded<N extends TaskName> = Awaited<ReturnType<(typeof TASKS)[N]>>;
export type TaskInput<N extends TaskName> = Parameters<Loaded<N>['run']>[0];
export type TaskOutput<N extends TaskName> = Awaited<ReturnType<Loaded<N>['run']>>;

/** Whether there is a task of that name. */
export const isTask = (name: string): name is TaskName => Object.hasOwn(TASKS, name);

/** A task with what it needs. Throws RangeError for an unknown name, and in a sentence where its module does not come. */
export async function loadTask(name: string): Promise<Task<unknown, unknown, unknown>> {
  if (!isTask(name)) throw new RangeError(`There is no task called "${name}".`);
  try {
    return (await TASKS[name]()) as Task<unknown, unknown, unknown>;
  } catch (e) {
    throw new Error(
      `The part of the application that this needs did not come (${(e as Error).message}). Try again; if it stays, load the page anew.`,
      { cause: e },
    );
  }
}

/** The answer of a task as it came, if it is what the task gives. Throws SyntaxError with the place of what is not. */
export async function checkedAnswer(name: string, answer: unknown): Promise<unknown> {
  const parsed = (await loadTask(name)).output.safeParse(answer);
  if (parsed.error) throw new SyntaxError(`The answer to "${name}" is not right: ${issuePhrase(parsed.error)}.`);
  return answer;
}

/** The input of a task, checked at the door. Throws RangeError for an unknown name and SyntaxError for input of the wrong shape. */
export async function checkedInput(name: string, input: unknown): Promise<unknown> {
  const parsed = (await loadTask(name)).input.safeParse(input);
  if (!parsed.success) throw new SyntaxError(`The input of "${name}" is not right: ${issuePhrase(parsed.error)}.`);
  return parsed.data;
}

/** Runs a task on input that was checked. */
export const runChecked = async (name: string, input: unknown, context: TaskContext): Promise<unknown> =>
  (await loadTask(name)).run(input, context);

/** Checks the input at the door and runs a task. Throws RangeError for an unknown name and SyntaxError for input of the wrong shape. */
export async function runTask(
  name: string,
  input: unknown,
  context: TaskContext = breathingContext({ aborted: false }, () => undefined),
): Promise<unknown> {
  return runChecked(name, await checkedInput(name, input), context);
}
