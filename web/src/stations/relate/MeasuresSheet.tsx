/** Measures that stay, and things (middles, lines, planes, rows) to measure between. */
import { useMemo, useState, type ReactNode } from 'react';
import { siteOf, type AtomRef } from '@nagare/core/crystal/atom-ref';
import { newId, type Structure } from '@nagare/core/crystal/structure';
import { atomsOfThing, LEAST_ATOMS } from '@nagare/core/geometry/things';
import type { Vec3 } from '@nagare/core/math/matrix3';
import { elementsNear } from '@nagare/core/symmetry/element-things';
import { NumberField, Sheet } from '../../frame/parts.tsx';
import type { NamedThing, Pin } from '../../store/looks.ts';
import { saveFile } from '../../store/projects.ts';
import { useMark, useProject } from '../../store/use-project.tsx';
import { PlaneDeviations } from './PlaneDeviations.tsx';
import { namedThing, pinOf, pinsCsv, readPin, THING_WORDS, type PinReading } from './pins.ts';
import { SOURCE_WORDS } from './words.ts';

export function MeasuresSheet({ s }: { s: Structure }): ReactNode {
  const { looks, setLooks, result, head, project } = useProject('looks', 'setLooks', 'result', 'head', 'project');
  const before = useMark(head?.parent)?.structure;
  const { pins } = looks;
  const readings = useMemo(() => pins.map((p) => readPin(s, p, result?.covariance, before)), [s, pins, result, before]);
  const source = readings.find((r) => !r.problem)?.source;
  return (
    <Sheet
      title="Measures"
      fold
      state={
        pins.length
          ? `${pins.length} pinned. ${source ? SOURCE_WORDS[source] : ''}`
          : 'Click two, three or four atoms and pin what they measure; more atoms make a plane.'
      }
      action={
        pins.length > 0 && (
          <button
            className="word"
            onClick={() => saveFile(pinsCsv(s, pins, result?.covariance), `${project.name}-measures.csv`, 'text/csv')}
          >
            CSV
          </button>
        )
      }
    >
      <PinNow s={s} />
      {pins.map((pin, i) => (
        <PinRow
          key={pin.id}
          s={s}
          pin={pin}
          reading={readings[i]!}
          onRemove={() => setLooks('pin away', { pins: pins.filter((p) => p.id !== pin.id) })}
        />
      ))}
      <Things s={s} />
    </Sheet>
  );
}

/** Pins what is selected. */
function PinNow({ s }: { s: Structure }): ReactNode {
  const { selection, looks, setLooks } = useProject('selection', 'looks', 'setLooks');
  const chosen = selection.filter((a) => siteOf(s, a));
  const pin = pinOf(s, chosen);
  if (!chosen.length) return null;
  const take = (kind: 'point' | 'line' | 'plane'): void =>
    setLooks('thing', { things: [...looks.things, namedThing(s, kind, chosen)] });
  return (
    <p className="acts mb-1">
      {pin && (
        <button className="word" onClick={() => setLooks('pin', { pins: [...looks.pins, pin] })}>
          Pin this measure
        </button>
      )}
      {(['plane', 'line', 'point'] as const).map(
        (kind) =>
          chosen.length >= LEAST_ATOMS[kind] && (
            <button key={kind} className="word" onClick={() => take(kind)}>
              {chosen.length === 1 ? 'Keep as a point' : `Keep as ${THING_WORDS[kind]}`}
            </button>
          ),
      )}
    </p>
  );
}

const atomsOfPin = (pin: Pin): AtomRef[] => pin.things.flatMap(atomsOfThing);

interface PinRowProps {
  readonly s: Structure;
  readonly pin: Pin;
  readonly reading: PinReading;
  onRemove(): void;
}

function PinRow({ s, pin, reading, onRemove }: PinRowProps): ReactNode {
  const { select } = useProject('select');
  return (
    <div className="pin">
      <button className="plain name" title="Select its atoms" onClick={() => select(atomsOfPin(pin))}>
        {reading.name}
      </button>
      <button className="word off" aria-label={`Take away ${reading.name}`} onClick={onRemove}>
        Away
      </button>
      {reading.problem ? (
        <p className="soft mb-0">{reading.problem}</p>
      ) : (
        <>
          <dl>
            {reading.readings.map((r) => (
              <div key={r.words}>
                <dt>{r.words}</dt>
                <dd className="mono">
                  {r.value}
                  {r.change && <span className="change"> {r.change} since the mark before</span>}
                </dd>
              </div>
            ))}
          </dl>
          {pin.things.map(
            (t, i) =>
              t.kind === 'plane' && <PlaneDeviations key={i} s={s} name={pin.names[i] ?? 'plane'} plane={t.atoms} />,
          )}
        </>
      )}
    </div>
  );
}

/** Things kept to be measured against one another, two at a time. */
function Things({ s }: { s: Structure }): ReactNode {
  const { looks, setLooks, result } = useProject('looks', 'setLooks', 'result');
  const [picked, setPicked] = useState<readonly string[]>([]);
  const { things } = looks;
  const pair = picked.flatMap((id) => things.find((t) => t.id === id) ?? []);
  const pin: Pin | undefined = pair.length
    ? { id: newId(), things: pair.map((t) => t.thing), names: pair.map((t) => t.name) }
    : undefined;
  const reading = pin && readPin(s, pin, result?.covariance);
  const flip = (id: string): void =>
    setPicked(picked.includes(id) ? picked.filter((p) => p !== id) : [...picked.slice(-1), id]);
  return (
    <div className="things">
      {things.map((t) => (
        <p key={t.id} className="mb-0">
          <label className="word">
            <input type="checkbox" checked={picked.includes(t.id)} onChange={() => flip(t.id)} /> {t.name}
          </label>
          <button
            className="word off"
            aria-label={`Forget ${t.name}`}
            onClick={() => setLooks('thing forgotten', { things: things.filter((x) => x.id !== t.id) })}
          >
            Forget
          </button>
        </p>
      ))}
      {reading && pin && (
        <div className="pin" data-testid="between-things">
          {reading.problem ?? reading.readings.map((r) => `${r.words} ${r.value}`).join(', ')}{' '}
          {reading.readings.length > 0 && (
            <button className="word" onClick={() => setLooks('pin', { pins: [...looks.pins, pin] })}>
              Pin this
            </button>
          )}
        </div>
      )}
      <RowOfLattice onKeep={(t) => setLooks('thing', { things: [...things, t] })} />
      <ElementOfSymmetry s={s} onKeep={(t) => setLooks('thing', { things: [...things, t] })} />
    </div>
  );
}

/** A row [uvw] to measure the angle of a line or a plane with. */
function RowOfLattice({ onKeep }: { onKeep(t: NamedThing): void }): ReactNode {
  const [v, setV] = useState<Vec3>([0, 0, 1]);
  return (
    <div className="triple">
      <span className="soft">row [</span>
      {[0, 1, 2].map((k) => (
        <NumberField
          key={k}
          id={`thing-row-${k}`}
          label={`Index ${k + 1} of the row to measure with`}
          value={v[k]!}
          digits={0}
          step={1}
          onChange={(x) => setV(v.map((y, i) => (i === k ? Math.round(x) : y)) as never)}
        />
      ))}
      <span className="soft">]</span>
      <button
        className="word"
        disabled={v.every((x) => x === 0)}
        onClick={() => onKeep({ id: newId(), name: `row [${v.join(' ')}]`, thing: { kind: 'row', direction: v } })}
      >
        Keep it
      </button>
    </div>
  );
}

/** A symmetry element to measure from: those that pass nearest to what is selected come first. */
function ElementOfSymmetry({ s, onKeep }: { s: Structure; onKeep(t: NamedThing): void }): ReactNode {
  const { selection } = useProject('selection');
  const [at, setAt] = useState(0);
  const elements = useMemo(() => elementsNear(s, selection), [s, selection]);
  const chosen = elements[Math.min(at, elements.length - 1)];
  if (!chosen) return null;
  return (
    <div className="triple">
      <select
        className="form-select form-select-sm"
        aria-label="Symmetry element to measure with"
        value={Math.min(at, elements.length - 1)}
        onChange={(e) => setAt(Number(e.target.value))}
      >
        {elements.map((e, i) => (
          <option key={e.words} value={i}>
            {e.words}
            {e.away === undefined ? '' : ` (${e.away.toFixed(2)} Å)`}
          </option>
        ))}
      </select>
      <button className="word" onClick={() => onKeep({ id: newId(), name: chosen.words, thing: chosen.thing })}>
        Keep it
      </button>
    </div>
  );
}
