/** A figure made again for the structure of another project. */
import { useState, type ReactNode } from 'react';
import { useNavigate } from 'react-router';
import { db } from '../../store/db.ts';
import { keepRow } from '../../store/keeping.ts';
import { NO_LOOKS } from '../../store/looks.ts';
import { structureOfChoice, useOtherStructures } from '../../store/other-structures.ts';
import { rememberedView } from '../../store/view-state.ts';
import { useProject } from '../../store/use-project.tsx';
import { figureForOther, freeName } from './figure-edits.ts';
import type { FigureOnTable } from './use-figure.ts';

export function OtherStructure({ table }: { table: FigureOnTable }): ReactNode {
  const { projects } = useOtherStructures();
  const { setProblem } = useProject('setProblem');
  const navigate = useNavigate();
  const [choice, setChoice] = useState('');
  const [told, setTold] = useState<{ readonly text: string; readonly project: string } | undefined>();
  if (!projects.length) return null;
  const apply = async (): Promise<void> => {
    const structure = await structureOfChoice(choice);
    if (!structure) return setProblem('That project has no structure to draw.');
    const project = choice.replace('project ', '');
    const { figure, lost } = figureForOther(structure, table.figure);
    await db.transaction('rw', db.looks, async () => {
      const row = (await db.looks.get(project)) ?? { projectId: project, view: rememberedView(), looks: NO_LOOKS };
      const figures = row.looks.figures ?? [];
      const named = { ...figure, name: freeName(figures, figure.name) };
      await keepRow(db, db.looks, { ...row, looks: { ...NO_LOOKS, ...row.looks, figures: [...figures, named] } });
    });
    setTold({
      project,
      text: lost.length
        ? `Made; left out, as it means nothing there: ${lost.join('; ')}.`
        : 'Made, with all of its rules.',
    });
  };
  return (
    <div className="other-structure">
      <span className="soft">the same of</span>
      <select
        className="form-select form-select-sm"
        aria-label="Another project"
        value={choice}
        onChange={(e) => {
          setChoice(e.target.value);
          setTold(undefined);
        }}
      >
        <option value="">another structure…</option>
        {projects.map(([id, name]) => (
          <option key={id} value={id}>
            {name}
          </option>
        ))}
      </select>
      {choice && !told && (
        <button className="word" onClick={() => void apply()}>
          Make it
        </button>
      )}
      {told && (
        <>
          <span className="soft">{told.text}</span>
          <button className="word" onClick={() => void navigate(`/projects/${told.project}/depict`)}>
            Go there
          </button>
        </>
      )}
    </div>
  );
}
