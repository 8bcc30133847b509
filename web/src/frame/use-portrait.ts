/** The small picture of a project, made once for each place it stands at and kept in the browser. */
import { useQuery } from '@tanstack/react-query';
import { run } from '../engine/engine.ts';
import { db, type Project } from '../store/db.ts';
import { keepRow } from '../store/keeping.ts';

/** Kept pictures of an older drawing are made anew. */
const DRAWING = 1;

/** Nothing to draw is an empty text. */
async function portrait(project: Project): Promise<string> {
  const pattern = project.head ? undefined : await db.patterns.where('projectId').equals(project.id).first();
  const of = `${DRAWING} ${project.head ?? pattern?.id ?? ''}`;
  const kept = await db.pictures.get(project.id);
  if (kept?.of === of) return kept.svg;
  const svg = await draw(project);
  await keepRow(db, db.pictures, { projectId: project.id, of, svg }).catch(() => undefined);
  return svg;
}

async function draw(project: Project): Promise<string> {
  const mark = project.head ? await db.marks.get(project.head) : undefined;
  const model = mark && (await db.models.get(mark.model));
  if (model?.kind === 'structure') return run('portrait', { structure: model.structure }).result;
  const pattern = await db.patterns.where('projectId').equals(project.id).first();
  if (!pattern) return '';
  const { twoTheta, intensity } = pattern.file.pattern;
  return run('portrait', { pattern: { twoTheta, intensity } }).result;
}

export function usePortrait(project: Project): string | undefined {
  const query = useQuery({
    queryKey: ['portrait', project.id, project.head],
    staleTime: Infinity,
    retry: false,
    queryFn: () => portrait(project),
  });
  return query.data || undefined;
}
