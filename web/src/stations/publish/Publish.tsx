/** Publish, first form: the CIF of the present mark, and the project as one file. */
import { useMemo, useState, type ReactNode } from 'react';
import { Button } from 'react-bootstrap';
import { formulaText } from '@nagare/core/crystal/formula';
import { formulaUnits } from '@nagare/core/publish/structure-cif';
import { cellContents } from '@nagare/core/crystal/structure';
import { run } from '../../engine/engine.ts';
import { percent, Sheet } from '../../frame/parts.tsx';
import { exportProject, saveFile, updateProject } from '../../store/projects.ts';
import { useSession } from '../../store/session.tsx';

const ASKED = [
  ['_chemical_name_common', 'Name'], ['_exptl_absorpt_correction_type', 'Absorption correction'], ['_diffrn_measurement_device_type', 'Diffractometer'], ['_diffrn_source', 'Source'],
] as const;

export function PublishDesk(): ReactNode {
  const session = useSession();
  const { project, head, merged: merge, result, perform, work } = session;
  const [text, setText] = useState<string | undefined>();
  const missing = useMemo(() => {
    const e = project.experiment;
    return [!e.formula && 'formula', !e.wavelength && 'wavelength', !e.temperature && 'temperature', !e.colour && 'colour', !e.habit && 'description of the crystal', !e.size && 'crystal size', !head?.readings && 'a refinement', ...ASKED.filter(([tag]) => !e.kept[tag]).map(([, name]) => name.toLowerCase())].filter((x): x is string => !!x);
  }, [project, head]);
  if (!head) return <Sheet title="Nothing to publish yet" state="A CIF is written from a model. Solve and refine first." />;
  const write = async (): Promise<string | undefined> => {
    const cif = await perform('Writing the CIF', () => run('cif', {
      name: project.name, structure: head.structure, experiment: project.experiment, ...(project.experiment.wavelength ? { wavelength: project.experiment.wavelength } : {}), date: new Date().toISOString(),
      ...(merge ? { reflections: merge.reflections, statistics: merge.statistics } : {}), ...(head.readings ? { readings: head.readings } : {}), ...(result?.covariance ? { covariance: result.covariance } : {}), ...(head.residual ? { residual: head.residual } : {}), ...(head.treatment ? { treatment: head.treatment } : {}), ...(head.absolute ? { absolute: head.absolute } : {}),
    }));
    setText(cif);
    return cif;
  };
  const { z, formula } = formulaUnits(head.structure, project.experiment);
  const found = Object.fromEntries(Object.entries(cellContents(head.structure)).map(([e, n]) => [e, n / z]));
  const keep = (tag: string, value: string): void => void updateProject(project.id, { experiment: { ...project.experiment, kept: { ...project.experiment.kept, [tag]: value } } });
  return (
    <>
      <Sheet title="CIF" state={missing.length ? `Still unknown and written as "?": ${missing.join(', ')}.` : 'Everything the first form asks for is known.'}>
        <p className="mb-2">{head.title}: <span className="mono">R1 {percent(head.r1)}, wR2 {percent(head.wr2)}</span>; {formulaText(formula)}, Z {z}. The model holds {formulaText(found)}.</p>
        <div className="d-flex gap-2">
          <Button disabled={!!work} onClick={() => void write().then((t) => { if (t) saveFile(t, `${project.name.replace(/\s+/g, '-').toLowerCase()}.cif`, 'chemical/x-cif'); })}>Take the CIF home</Button>
          <Button variant="outline-primary" disabled={!!work} onClick={() => void write()}>Show it</Button>
          {text && <Button variant="outline-primary" onClick={() => void navigator.clipboard.writeText(text)}>Copy</Button>}
        </div>
        {text && <details open><summary>{text.split('\n').length} lines</summary><pre className="mono mb-0" tabIndex={0} style={{ fontSize: '.72rem', maxHeight: 320, overflow: 'auto' }}>{text.slice(0, 12000)}{text.length > 12000 ? '\n…' : ''}</pre></details>}
      </Sheet>
      <Sheet title="What only you know" state="Goes into the CIF word for word.">
        {ASKED.map(([tag, name]) => <div className="field" key={tag}><label htmlFor={tag}>{name}</label><input id={tag} className="form-control form-control-sm" defaultValue={project.experiment.kept[tag] ?? ''} onBlur={(e) => { if (e.target.value !== (project.experiment.kept[tag] ?? '')) keep(tag, e.target.value); }} /></div>)}
        <div className="field"><label htmlFor="colour">Colour</label><input id="colour" className="form-control form-control-sm" defaultValue={project.experiment.colour ?? ''} onBlur={(e) => void updateProject(project.id, { experiment: { ...project.experiment, colour: e.target.value } })} /></div>
        <div className="field"><label htmlFor="habit">Description</label><input id="habit" className="form-control form-control-sm" defaultValue={project.experiment.habit ?? ''} onBlur={(e) => void updateProject(project.id, { experiment: { ...project.experiment, habit: e.target.value } })} /></div>
      </Sheet>
      <Sheet title="Project file" state="Data, course, maps and all, as one file that any Nagare opens.">
        <Button variant="outline-primary" onClick={() => void exportProject(project.id).then((b) => saveFile(b, `${project.name}.nagare`, 'application/zip'))}>Export this project</Button>
      </Sheet>
    </>
  );
}
