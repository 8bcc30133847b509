/** What the crystal is made of: formula and formula units. */
import { useState, type ReactNode } from 'react';
import { cellVolume } from '@nagare/core/crystal/cell';
import { formulaText, parseFormula, formulaVolume } from '@nagare/core/crystal/formula';
import { proposeZ } from '@nagare/core/crystal/formula-units';
import { NumberField, percent, Sheet } from '../../frame/parts.tsx';
import { updateProject } from '../../store/projects.ts';
import { useProject } from '../../store/use-project.tsx';

export function ContentsSheet(): ReactNode {
  const { project, setProblem } = useProject('project', 'setProblem');
  const { experiment, cell, group } = project;
  const [text, setText] = useState(experiment.formula ? formulaText(experiment.formula) : '');
  const proposal = experiment.formula && cell ? proposeZ(experiment.formula, cellVolume(cell), group) : undefined;
  const z = experiment.z ?? proposal;
  const apply = (): void => {
    if (!text.trim()) {
      const { formula: _f, z: _z, ...rest } = experiment;
      void updateProject(project.id, { experiment: rest });
      return;
    }
    try {
      void updateProject(project.id, { experiment: { ...experiment, formula: parseFormula(text) } });
      setProblem(undefined);
    } catch (e) {
      setProblem((e as Error).message);
    }
  };
  return (
    <Sheet
      title="Contents"
      state={
        experiment.formula && cell && z
          ? `${z} formula units fill ${percent((formulaVolume(experiment.formula) * z) / cellVolume(cell), 0)} of the cell by average atom volumes.`
          : 'Without a formula, elements are told from electrons alone and marked as a guess.'
      }
    >
      <div className="field">
        <label htmlFor="formula">Formula</label>
        <input
          id="formula"
          className="form-control form-control-sm"
          placeholder="C14 H16 N2 O3"
          value={text}
          onChange={(e) => setText(e.target.value)}
          onBlur={apply}
          onKeyDown={(e) => {
            if (e.key === 'Enter') apply();
            if (e.key === 'Escape') setText(experiment.formula ? formulaText(experiment.formula) : '');
          }}
        />
      </div>
      <div className="field">
        <label htmlFor="zed">Z{experiment.z === undefined && proposal ? ' (proposed)' : ''}</label>
        <NumberField
          id="zed"
          value={z}
          digits={z && z % 1 ? 1 : 0}
          step={1}
          min={0.5}
          max={192}
          onChange={(v) => void updateProject(project.id, { experiment: { ...experiment, z: v } })}
        />
      </div>
      {experiment.z !== undefined && proposal !== undefined && experiment.z !== proposal && (
        <p className="mb-0">
          By its volume the cell would hold{' '}
          <button
            className="word"
            onClick={() => void updateProject(project.id, { experiment: { ...experiment, z: proposal } })}
          >
            Z = {proposal}
          </button>
        </p>
      )}
    </Sheet>
  );
}
