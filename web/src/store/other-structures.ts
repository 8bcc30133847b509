/** Structures beside the one on screen: of other marks, and of other projects. */
import { useLiveQuery } from 'dexie-react-hooks';
import type { Structure } from '@nagare/core/crystal/structure';
import { db } from './db.ts';
import { nameOfMark } from './marks.ts';
import { useProject } from './use-project.tsx';

/** What can be chosen, as choice and name: by mark, and by project. */
export function useOtherStructures(): {
  marks: readonly (readonly [string, string])[];
  projects: readonly (readonly [string, string])[];
} {
  const { marks, head, project } = useProject('marks', 'head', 'project');
  const projects = useLiveQuery(() => db.projects.orderBy('updated').reverse().toArray()) ?? [];
  return {
    marks: marks.filter((m) => m.type !== 'fit' && m.id !== head?.id).map((m) => [`mark ${m.id}`, nameOfMark(m)]),
    projects: projects.filter((p) => p.head && p.id !== project.id).map((p) => [`project ${p.id}`, p.name]),
  };
}

/** The structure that a choice names; undefined where it is gone. */
export async function structureOfChoice(choice: string): Promise<Structure | undefined> {
  const [kind, id] = choice.split(' ') as [string, string];
  const markId = kind === 'project' ? (await db.projects.get(id))?.head : id;
  const mark = markId ? await db.marks.get(markId) : undefined;
  const model = mark && (await db.models.get(mark.model));
  return model?.kind === 'structure' ? model.structure : undefined;
}
