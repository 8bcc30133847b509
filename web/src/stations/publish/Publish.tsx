/** Publish: the CIF, the form, tables, the report, the sentence for the experimental section, the project file. */
import './publish.scss';
import { useMemo, type ReactNode } from 'react';
import { Button } from 'react-bootstrap';
import { useNavigate } from 'react-router';
import { formulaText } from '@nagare/core/crystal/formula';
import { missingItems, withItem } from '@nagare/core/formats/dictionary';
import { experimentalSentence } from '@nagare/core/publish/sentence';
import { formulaUnits } from '@nagare/core/publish/structure-cif';
import { SEVERITY_WORDS } from '@nagare/core/vet/registry';
import { run } from '../../engine/engine.ts';
import { percent, Sheet } from '../../frame/parts.tsx';
import { saveFile, updateProject } from '../../store/projects.ts';
import { takeHome } from '../../frame/take-home.ts';
import { useProject, useProjectStore } from '../../store/use-project.tsx';
import { fitCsv } from '@nagare/core/publish/pattern-cif';
import { useFit } from '../fit/use-fit.tsx';
import { useVet } from '../vet/use-vet.ts';
import { useCifInput } from './cif-input.ts';
import { FormSheet } from './Form.tsx';

const SECTION = '_publ_section_exptl_refinement';

/** The whole project as a file. */
function ProjectFileSheet({ says }: { says: string }): ReactNode {
  const store = useProjectStore();
  return (
    <Sheet title="Project file" state={says}>
      <Button variant="outline-primary" onClick={() => void takeHome(store)}>
        Export this project
      </Button>
    </Sheet>
  );
}

/** The record of a fit against patterns. */
function PowderRecord(): ReactNode {
  const { project, head, perform, work } = useProject('project', 'head', 'perform', 'work');
  const { model, result, state, patterns } = useFit('model', 'result', 'state', 'patterns');
  const navigate = useNavigate();
  const fit = head!.fit!;
  if (!fit.result || !result || !model || !state)
    return (
      <Sheet title="Nothing to publish yet" state="This mark has not been fitted to its end.">
        <Button onClick={() => void navigate(`/projects/${project.id}/fit`)}>Go to Fit</Button>
      </Sheet>
    );
  const data = state.patterns.map((id) => patterns.find((p) => p.id === id)!.file.pattern);
  const write = (): Promise<string | undefined> =>
    perform('Writing the CIF', () => run('fitCif', { model, result, patterns: data, date: new Date().toISOString() }));
  return (
    <>
      <Sheet
        title="CIF of the fit"
        state="One block for each phase with its cell, sites and s.u., one for each pattern with observed and calculated points, reflections and weight fractions."
      >
        <p className="mb-2">
          {head!.title}:{' '}
          <span className="mono">
            Rwp {percent(result.rwp)}, S {result.s.toFixed(2)}
          </span>
          , {result.phases.length} {result.phases.length === 1 ? 'phase' : 'phases'}, {result.parameters} parameters.
        </p>
        <div className="d-flex gap-2">
          <Button
            disabled={!!work}
            onClick={() =>
              void write().then((t) => {
                if (t) saveFile(t, `${project.name.replace(/\s+/g, '-').toLowerCase()}.cif`, 'chemical/x-cif');
              })
            }
          >
            Take the CIF home
          </Button>
          <Button
            variant="outline-primary"
            disabled={!!work}
            onClick={() =>
              void write().then((t) => {
                if (t) void navigator.clipboard.writeText(t);
              })
            }
          >
            Copy
          </Button>
          <Button variant="outline-primary" onClick={() => saveFile(fitCsv(result), `${project.name}.csv`, 'text/csv')}>
            Table as CSV
          </Button>
        </div>
      </Sheet>
      <ProjectFileSheet says="Patterns, course, phases and results, as one file that any Nagare opens." />
    </>
  );
}

export function PublishDesk(): ReactNode {
  const { project, head, perform, work, pane, setPane } = useProject(
    'project',
    'head',
    'perform',
    'work',
    'pane',
    'setPane',
  );
  const navigate = useNavigate();
  const input = useCifInput();
  const { report } = useVet();
  const told = useMemo(() => (input ? experimentalSentence(input) : ''), [input]);
  if (head?.fit) return <PowderRecord />;
  if (!head?.structure || !input)
    return <Sheet title="Nothing to publish yet" state="A CIF is written from a model. Solve and refine first." />;
  const file = project.name.replace(/\s+/g, '-').toLowerCase();
  const { z, formula } = formulaUnits(head.structure, project.experiment);
  const missing = missingItems(project.experiment).length;
  const mend = report?.findings.filter((f) => f.severity === 'mend').length ?? 0;
  const own = project.experiment.kept[SECTION];
  const write = (): Promise<string | undefined> => perform('Writing the CIF', () => run('cif', input));
  const makeReport = (): Promise<string | undefined> =>
    perform('Writing the report', () =>
      run('report', {
        ...input,
        sentence: own ?? told,
        findings: (report?.findings ?? []).map((f) => ({
          severity: SEVERITY_WORDS[f.severity],
          title: f.title,
          detail: f.detail,
          ...(project.explanations?.[f.key] ? { explanation: project.explanations[f.key]!.text } : {}),
        })),
      }),
    );
  return (
    <>
      <Sheet
        title="CIF"
        state={
          missing
            ? `${missing} items that only you know are still open and written as "?".`
            : 'Everything a journal asks for is known.'
        }
      >
        <p className="mb-2">
          {head.title}:{' '}
          <span className="mono">
            R1 {percent(head.r1)}, wR2 {percent(head.wr2)}
          </span>
          ; {formulaText(formula)}, Z {z}.
          {mend ? (
            <>
              {' '}
              <button className="word off" onClick={() => void navigate(`/projects/${project.id}/vet`)}>
                {mend} finding{mend > 1 ? 's' : ''} must be mended first
              </button>
            </>
          ) : null}
        </p>
        <div className="d-flex gap-2">
          <Button
            disabled={!!work}
            onClick={() =>
              void write().then((t) => {
                if (t) saveFile(t, `${file}.cif`, 'chemical/x-cif');
              })
            }
          >
            Take the CIF home
          </Button>
          <Button
            variant="outline-primary"
            disabled={!!work}
            onClick={() =>
              void write().then((t) => {
                if (t) void navigator.clipboard.writeText(t);
              })
            }
          >
            Copy
          </Button>
        </div>
        <div className="segments mt-2" role="group" aria-label="Middle of the window">
          <button
            className="word"
            aria-pressed={pane !== 'tables' && pane !== 'cif'}
            onClick={() => setPane('crystal')}
          >
            Crystal
          </button>
          <button className="word" aria-pressed={pane === 'tables'} onClick={() => setPane('tables')}>
            Tables
          </button>
          <button className="word" aria-pressed={pane === 'cif'} onClick={() => setPane('cif')}>
            CIF as text
          </button>
        </div>
      </Sheet>
      <FormSheet />
      <Sheet
        title="Experimental section"
        fold
        state={
          own ? 'Edited by you; it goes into the CIF and the report.' : 'Told from what was done; edit it as you like.'
        }
        action={
          own ? (
            <button
              className="word"
              onClick={() => void updateProject(project.id, { experiment: withItem(project.experiment, SECTION, '') })}
            >
              Tell it anew
            </button>
          ) : undefined
        }
      >
        <textarea
          key={own ?? told}
          className="form-control form-control-sm"
          aria-label="Experimental section"
          rows={8}
          defaultValue={own ?? told}
          onBlur={(e) => {
            if (e.target.value !== (own ?? told))
              void updateProject(project.id, { experiment: withItem(project.experiment, SECTION, e.target.value) });
          }}
          onKeyDown={(e) => {
            if (e.key === 'Escape') {
              e.currentTarget.value = own ?? told;
              e.currentTarget.blur();
            }
          }}
        />
        <button className="word mt-1" onClick={() => void navigator.clipboard.writeText(own ?? told)}>
          Copy
        </button>
      </Sheet>
      <Sheet
        title="Report"
        state="One HTML file with picture, figures, plots, findings and tables; the browser prints it as PDF."
      >
        <div className="d-flex gap-2">
          <Button
            variant="outline-primary"
            disabled={!!work}
            onClick={() =>
              void makeReport().then((t) => {
                if (t) saveFile(t, `${file}-report.html`, 'text/html');
              })
            }
          >
            Take the report home
          </Button>
          <Button
            variant="outline-primary"
            disabled={!!work}
            onClick={() =>
              void makeReport().then((t) => {
                if (!t) return;
                const url = URL.createObjectURL(new Blob([t], { type: 'text/html' }));
                const page = window.open(url, '_blank');
                page?.addEventListener('load', () => page.print());
                setTimeout(() => URL.revokeObjectURL(url), 60_000);
              })
            }
          >
            Print
          </Button>
        </div>
      </Sheet>
      <ProjectFileSheet says="Data, course, maps and all, as one file that any Nagare opens." />
    </>
  );
}
