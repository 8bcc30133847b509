/** Vet: what is wrong, what must be explained, what is worth knowing; each with its evidence, a way to see it and a way out. */
import './vet.scss';
import { atomsOfSites } from '../../store/selection.ts';
import { useState, type ReactNode } from 'react';
import { Button } from 'react-bootstrap';
import { useNavigate } from 'react-router';
import { cartesian } from '@nagare/core/crystal/structure';
import type { Finding, Severity } from '@nagare/core/vet/check';
import { CHECKS, SEVERITY_WORDS } from '@nagare/core/vet/registry';
import { Sheet } from '../../frame/parts.tsx';
import { updateProject } from '../../store/projects.ts';
import { useProject, useProjectStore } from '../../store/use-project.tsx';
import { useExperiment } from '../refine/use-experiment.ts';
import { carryOut } from './remedies.ts';
import { useVet } from './use-vet.ts';
import { verdictWords } from './verdict.ts';

/** A broken ring must be mended, a ring with a stroke explained, a dot is worth knowing: told by shape. */
export function SeverityGlyph({ severity, done }: { severity: Severity; done?: boolean }): ReactNode {
  return (
    <svg
      width="16"
      height="16"
      viewBox="0 0 16 16"
      role="img"
      aria-label={done ? 'explained' : SEVERITY_WORDS[severity]}
      className="severity"
    >
      {severity === 'mend' && (
        <path
          d="M8 1.8a6.2 6.2 0 1 1-5.4 3.2M5 8l6 0"
          fill="none"
          stroke="var(--vermilion)"
          strokeWidth="2"
          strokeLinecap="round"
        />
      )}
      {severity === 'explain' && (
        <>
          <circle
            cx="8"
            cy="8"
            r="6"
            fill={done ? 'var(--water)' : 'none'}
            stroke={done ? 'var(--water)' : 'var(--gold)'}
            strokeWidth="1.8"
          />
          {done ? (
            <path d="M5 8.2l2.2 2.2L11 6" fill="none" stroke="var(--sheet)" strokeWidth="1.8" />
          ) : (
            <path d="M8 4.6v4.2M8 11v.6" stroke="var(--gold)" strokeWidth="1.8" strokeLinecap="round" />
          )}
        </>
      )}
      {severity === 'know' && <circle cx="8" cy="8" r="3" fill="var(--soft)" />}
    </svg>
  );
}

const GROUPS: [Severity, string][] = [
  ['mend', 'Must be mended'],
  ['explain', 'Must be explained'],
  ['know', 'Worth knowing'],
];

export function VetDesk(): ReactNode {
  const { head, project } = useProject('head', 'project');
  const navigate = useNavigate();
  const { report, working, seconds } = useVet();
  const [open, setOpen] = useState<string | undefined>();
  if (!head)
    return (
      <Sheet
        title="Nothing to vet yet"
        state="Checks begin with a model: solve one, or bring in a CIF with atom sites."
      >
        <Button onClick={() => void navigate(`/projects/${project.id}/intake`)}>Go to Intake</Button>
      </Sheet>
    );
  if (!report) return <Sheet title="Vet" state="Looking at the model…" />;
  const count = (s: Severity): number => report.findings.filter((f) => f.severity === s).length;
  const unexplained = report.findings.filter((f) => f.severity === 'explain' && !project.explanations?.[f.key]).length;
  const verdict = verdictWords(count('mend'), unexplained);
  return (
    <>
      <Sheet
        title="Vet"
        state={
          <>
            {report.ran.length} checks looked at this mark
            {seconds !== undefined && !working ? ` in ${seconds.toFixed(1)} s` : ''}.{working ? ' Looking again…' : ''}
          </>
        }
      >
        <p className="vet-verdict mb-2">{verdict}</p>
        {!count('mend') && (
          <Button onClick={() => void navigate(`/projects/${project.id}/publish`)}>Go on to Publish</Button>
        )}
      </Sheet>
      {GROUPS.filter(([s]) => count(s)).map(([s, title]) => (
        <Sheet key={s} title={title} fold>
          <ul className="findings">
            {report.findings
              .filter((f) => f.severity === s)
              .map((f) => (
                <FindingLine
                  key={f.key}
                  finding={f}
                  open={open === f.key}
                  onOpen={() => setOpen(open === f.key ? undefined : f.key)}
                />
              ))}
          </ul>
        </Sheet>
      ))}
      <Sheet title="All checks" fold state={`${CHECKS.length} in all; ${report.silent.length} had nothing to look at.`}>
        <table>
          <thead>
            <tr>
              <th>check</th>
              <th>what it looks at</th>
            </tr>
          </thead>
          <tbody>
            {CHECKS.map((c) => {
              const lacks = report.silent.find((x) => x.id === c.id);
              return (
                <tr key={c.id} className={lacks ? 'soft' : ''}>
                  <td className="text-nowrap">{c.name}</td>
                  <td>
                    {c.looks}
                    {lacks ? ` (${lacks.lacks.startsWith('stopped') ? lacks.lacks : `needs ${lacks.lacks}`})` : ''}
                  </td>
                </tr>
              );
            })}
          </tbody>
        </table>
      </Sheet>
    </>
  );
}

function FindingLine({ finding: f, open, onOpen }: { finding: Finding; open: boolean; onOpen(): void }): ReactNode {
  const store = useProjectStore();
  const { project, head, select, setPane, setPeaks, setGhost, result, work } = useProject(
    'project',
    'head',
    'select',
    'setPane',
    'setPeaks',
    'setGhost',
    'result',
    'work',
  );
  const data = useExperiment();
  const navigate = useNavigate();
  const said = project.explanations?.[f.key]?.text ?? '';
  const show = (): void => {
    setPane('crystal');
    if (f.sites.length && head?.structure) select(atomsOfSites(head.structure, f.sites));
    const peak =
      f.at && result?.map
        ? [...result.map.peaks].find((p) => p.position.every((x, i) => Math.abs(x - f.at![i]!) < 1e-6))
        : undefined;
    if (peak) setPeaks([peak.name]);
    // A place without an atom is marked until Esc.
    else if (f.at && !f.sites.length)
      setGhost({
        title: f.title,
        positions: [cartesian(head!.structure!.cell, f.at)],
        elements: ['C'],
        colour: 'gold',
      });
    if (f.reflections?.length && !f.sites.length) {
      setPane('data');
      void navigate(`/projects/${project.id}/refine`);
    }
  };
  const explain = (text: string): void => {
    if (text === said) return;
    const { [f.key]: _old, ...rest } = project.explanations ?? {};
    void updateProject(project.id, {
      explanations: text.trim() ? { ...rest, [f.key]: { title: f.title, family: f.family, text: text.trim() } } : rest,
    });
  };
  const see = f.sites.length > 0 || !!f.at || !!f.reflections?.length;
  return (
    <li className={open ? 'open' : ''}>
      <button
        className="plain line"
        aria-expanded={open}
        onClick={() => {
          onOpen();
          if (!open) show();
        }}
      >
        <SeverityGlyph severity={f.severity} done={!!said} />
        <span>{f.title}</span>
      </button>
      {open && (
        <div className="body">
          <p className="mb-1">{f.detail}</p>
          {f.sites.length > 0 && (
            <p className="mb-1 soft">
              {f.sites
                .slice(0, 10)
                .map((i) => head!.structure!.sites[i]?.label)
                .join(', ')}
              {f.sites.length > 10 ? ` and ${f.sites.length - 10} more` : ''}
            </p>
          )}
          <div className="ways">
            {see && (
              <button className="word" onClick={show}>
                Show it
              </button>
            )}
            {f.remedies.map((r) => (
              <button
                key={r.words}
                className={`word${r.act === 'delete' ? ' off' : ''}`}
                disabled={!!work}
                onClick={() => void carryOut(r, store, data, navigate)}
              >
                {r.words}
              </button>
            ))}
          </div>
          {f.severity !== 'know' && (
            <label className="explain">
              Explanation for the CIF
              <textarea
                className="form-control form-control-sm"
                rows={2}
                defaultValue={said}
                placeholder="Why it is so, in a sentence"
                onBlur={(e) => explain(e.target.value)}
                onKeyDown={(e) => {
                  if (e.key === 'Escape') {
                    e.currentTarget.value = said;
                    e.currentTarget.blur();
                  }
                  if (e.key === 'Enter' && (e.ctrlKey || e.metaKey)) e.currentTarget.blur();
                }}
              />
            </label>
          )}
        </div>
      )}
    </li>
  );
}
