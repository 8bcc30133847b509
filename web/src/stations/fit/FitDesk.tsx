/** Fit: phases against a powder pattern. */
import './fit.scss';
import { useEffect, useState, type ReactNode } from 'react';
import { Link } from 'react-router';
import { useProject } from '../../store/use-project.tsx';
import { Sheet } from '../../frame/parts.tsx';
import { ParametersSheet } from './Parameters.tsx';
import { IndexSheet, PeaksSheet } from './Peaks.tsx';
import { PhasesSheet } from './Phases.tsx';
import { ResultsSheet } from './ResultsSheet.tsx';
import { RunSheet } from './RunSheet.tsx';
import { SeriesSheet } from './SeriesSheet.tsx';
import { useFit } from './use-fit.tsx';

export function FitDesk(): ReactNode {
  const { patterns, at, setAt, setWindow, row, state } = useFit('patterns', 'at', 'setAt', 'setWindow', 'row', 'state');
  const { project, head } = useProject('project', 'head');
  const [free, setFree] = useState<Set<string>>(() => new Set());
  const refined = head?.fit?.free;
  const markId = head?.id;
  useEffect(() => setFree(new Set(refined ?? [])), [markId, refined]);
  if (!patterns.length)
    return (
      <Sheet title="Fit" state="A powder pattern is needed here.">
        <p className="soft mb-0">
          Drop one anywhere: two or three columns of text (2θ, d or Q; counts; s.u.), or a powder CIF. Several at once
          make a series.
        </p>
      </Sheet>
    );
  return (
    <>
      {(patterns.length > 1 || !row?.instrumentKnown) && (
        <Sheet
          title="Pattern"
          state={
            patterns.length > 1 ? undefined : (
              <>
                The instrument is assumed to be {row?.instrument.name ?? 'a usual one'};{' '}
                <Link to={`/projects/${project.id}/intake`}>describe or calibrate it</Link> for sizes that can be
                trusted.
              </>
            )
          }
        >
          {patterns.length > 1 && (
            <select
              className="form-select form-select-sm"
              aria-label="Pattern shown"
              value={at}
              onChange={(e) => {
                setAt(Number(e.target.value));
                setWindow(undefined);
              }}
            >
              {patterns.map((p, i) => (
                <option key={p.id} value={i}>
                  {p.file.pattern.name}
                  {p.file.pattern.at !== undefined ? `, ${p.file.pattern.at} K` : ''}
                  {state?.patterns.includes(p.id) && state.patterns.length > 1 ? ' (fitted together)' : ''}
                </option>
              ))}
            </select>
          )}
        </Sheet>
      )}
      <PhasesSheet />
      <RunSheet free={free} setFree={setFree} />
      <ResultsSheet />
      <PeaksSheet />
      <IndexSheet />
      <ParametersSheet free={free} setFree={setFree} />
      <SeriesSheet />
    </>
  );
}
