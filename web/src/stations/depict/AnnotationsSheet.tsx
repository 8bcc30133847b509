/** What is written and drawn over the figure: drawn by a stroke, made of picked atoms, changed in fields. */
import type { ReactNode } from 'react';
import { inkOf, type Annotation, type Ink } from '@nagare/core/depict/figure';
import { NumberField, Sheet } from '../../frame/parts.tsx';
import { useProject } from '../../store/use-project.tsx';
import { ANNOTATION_NAMES, madeOfAtoms, OF_ATOMS, STROKES } from './annotation-made.ts';
import { withAnnotation } from './figure-edits.ts';
import { ColourField, Slider } from './RuleFields.tsx';
import type { FigureOnTable } from './use-figure.ts';

export function AnnotationsSheet({ table }: { table: FigureOnTable }): ReactNode {
  const { figure, panel, change } = table;
  const { depicting, setDepicting, selection } = useProject('depicting', 'setDepicting', 'selection');
  const here = { figure: figure.id, panel: panel.id };
  const chosen = figure.annotations.find((a) => a.id === depicting.annotation);
  const making = STROKES.find(([kind]) => kind === depicting.making);
  const add = (made: Annotation | undefined): void => {
    if (!made) return;
    change(`annotation ${made.id}`, (f) => ({ ...f, annotations: [...f.annotations, made] }));
    setDepicting({ ...here, annotation: made.id });
  };
  const remove = (id: string): void => {
    change(`annotation ${id} removed`, (f) => ({ ...f, annotations: f.annotations.filter((a) => a.id !== id) }));
    setDepicting(here);
  };
  return (
    <Sheet
      title="Written over it"
      fold
      state={making ? making[2] : 'Arrows, rings, text and measures; what is tied to atoms follows a turn.'}
    >
      <p className="acts mb-1">
        {STROKES.map(([kind, name, hint]) => (
          <button
            key={kind}
            className="chip"
            title={hint}
            aria-pressed={depicting.making === kind}
            onClick={() => setDepicting(depicting.making === kind ? here : { ...here, making: kind })}
          >
            {name}
          </button>
        ))}
      </p>
      {selection.length > 0 && (
        <p className="acts mb-1">
          <span className="soft">{selection.length} picked:</span>
          {OF_ATOMS.filter(
            ([kind, , least]) => selection.length >= least && (kind !== 'dimension' || selection.length <= 4),
          ).map(([kind, name]) => (
            <button key={kind} className="word" onClick={() => add(madeOfAtoms(kind, panel, selection))}>
              {name}
            </button>
          ))}
        </p>
      )}
      {figure.annotations.length > 0 && (
        <ul className="hiding-list" aria-label="What is written over the figure">
          {figure.annotations.map((a) => (
            <li key={a.id}>
              <button
                className="plain"
                aria-pressed={a.id === chosen?.id}
                onClick={() => setDepicting(a.id === chosen?.id ? here : { ...here, annotation: a.id })}
              >
                {a.id === chosen?.id ? <b>{nameOf(a)}</b> : nameOf(a)}
              </button>
              <button className="word off" aria-label={`Remove ${nameOf(a)}`} onClick={() => remove(a.id)}>
                ×
              </button>
            </li>
          ))}
        </ul>
      )}
      {chosen && (
        <AnnotationFields
          a={chosen}
          ink={inkOf(figure, chosen)}
          onChange={(next) => change(`annotation ${chosen.id}`, (f) => withAnnotation(f, chosen.id, () => next))}
          onAll={() =>
            change('one ink for all', (f) => ({
              ...f,
              annotations: f.annotations.map((a) => (chosen.ink ? { ...a, ink: chosen.ink } : withoutInk(a))),
            }))
          }
        />
      )}
    </Sheet>
  );
}

function withoutInk(a: Annotation): Annotation {
  const { ink: _, ...rest } = a;
  return rest as Annotation;
}

const nameOf = (a: Annotation): string =>
  'text' in a && a.text ? `${ANNOTATION_NAMES[a.kind]} “${a.text.slice(0, 24)}”` : ANNOTATION_NAMES[a.kind];

interface AnnotationFieldsProps {
  readonly a: Annotation;
  readonly ink: Ink;
  onChange(a: Annotation): void;
  onAll(): void;
}

function AnnotationFields({ a, ink, onChange, onAll }: AnnotationFieldsProps): ReactNode {
  const inked = (change: Partial<Ink>): void => onChange({ ...a, ink: { ...a.ink, ...change } });
  return (
    <div className="row-body">
      {'text' in a && (
        <label className="pair">
          <span className="soft">text</span>
          <textarea
            className="form-control form-control-sm"
            rows={2}
            aria-label="Text"
            value={a.text}
            onChange={(e) => onChange({ ...a, text: e.target.value })}
          />
        </label>
      )}
      {'text' in a && (
        <p className="soft small mb-1">^ puts what follows above the line, _ below it, \alpha writes α.</p>
      )}
      {a.kind === 'ellipse' && (
        <>
          <Slider
            label="across"
            value={a.rx}
            from={0.5}
            to={60}
            step={0.5}
            text={`${a.rx.toFixed(1)} mm`}
            onChange={(rx) => onChange({ ...a, rx })}
          />
          <Slider
            label="up"
            value={a.ry}
            from={0.5}
            to={60}
            step={0.5}
            text={`${a.ry.toFixed(1)} mm`}
            onChange={(ry) => onChange({ ...a, ry })}
          />
          <Slider
            label="turned"
            value={a.angle}
            from={-90}
            to={90}
            step={1}
            text={`${a.angle}°`}
            onChange={(angle) => onChange({ ...a, angle })}
          />
        </>
      )}
      {a.kind === 'outline' && (
        <Slider
          label="outside by"
          value={a.margin}
          from={-5}
          to={8}
          step={0.1}
          text={`${a.margin.toFixed(1)} mm`}
          onChange={(margin) => onChange({ ...a, margin })}
        />
      )}
      {a.kind === 'arrow' && (
        <label className="word">
          <input
            type="checkbox"
            checked={a.heads === 2}
            onChange={() => onChange({ ...a, heads: a.heads === 2 ? 1 : 2 })}
          />{' '}
          heads at both ends
        </label>
      )}
      {a.kind === 'scale bar' && (
        <div className="pair">
          <label htmlFor="bar-length" className="soft">
            length
          </label>
          <NumberField
            id="bar-length"
            value={a.length}
            digits={1}
            step={1}
            min={0.5}
            max={200}
            unit="Å"
            onChange={(length) => onChange({ ...a, length })}
          />
        </div>
      )}
      <ColourField label="Ink" colour={ink.colour} onChange={(colour) => colour && inked({ colour })} />
      <Slider
        label="line"
        value={ink.width}
        from={0.1}
        to={2}
        step={0.05}
        text={`${ink.width.toFixed(2)} mm`}
        onChange={(width) => inked({ width })}
      />
      <Slider
        label="letters"
        value={ink.size}
        from={1.5}
        to={10}
        step={0.1}
        text={`${ink.size.toFixed(1)} mm`}
        onChange={(size) => inked({ size })}
      />
      <p className="acts mb-0">
        <label className="word">
          <input type="checkbox" checked={ink.dashed} onChange={() => inked({ dashed: !ink.dashed })} /> dashed
        </label>
        {(a.kind === 'ellipse' || a.kind === 'outline') && (
          <label className="word">
            <input
              type="checkbox"
              checked={!!ink.fill}
              onChange={() => {
                const { fill: _, ...rest } = a.ink ?? {};
                onChange({ ...a, ink: ink.fill ? rest : { ...rest, fill: ink.colour } });
              }}
            />{' '}
            filled
          </label>
        )}
        <button className="word" onClick={onAll}>
          This ink for all
        </button>
      </p>
    </div>
  );
}
