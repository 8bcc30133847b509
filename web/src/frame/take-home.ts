/** A project saved as a file, with what the browser had no room for. */
import { Cancelled } from '@nagare/core/task-context';
import { exportProject } from '../store/project-door.ts';
import { openState, type ProjectStore } from '../store/project-state.ts';
import { saveFile } from '../store/projects.ts';

const TYPE = 'application/zip';

const words = (part: string): string => part.replace(/\.json$/, '').replace(/\.(txt|xye)$/, ' as text');

/** Saves the open project; what it is at is shown as its work where nothing else runs. */
export async function takeHome(store: ProjectStore): Promise<void> {
  const { project, unsaved, work, perform, setProblem } = openState(store);
  const rows = {
    marks: unsaved.map((u) => u.mark),
    models: unsaved.map((u) => u.model),
    results: unsaved.flatMap((u) => u.result ?? []),
  };
  const begin = (tell: (detail: string) => void): ReturnType<typeof exportProject> =>
    exportProject(project.id, { unsaved: rows, tell: (part) => tell(words(part)) });
  try {
    const file = work ? await begin(() => undefined).result : await perform('Exporting the project', begin);
    if (file) saveFile(file, `${project.name}.nagare`, TYPE);
  } catch (e) {
    if (!(e instanceof Cancelled)) setProblem((e as Error).message);
  }
}

/** Saves a project that is not open. Throws Error where it cannot be. */
export async function takeStoredHome(id: string, name: string): Promise<void> {
  saveFile(await exportProject(id).result, `${name}.nagare`, TYPE);
}
