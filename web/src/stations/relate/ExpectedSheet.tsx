/** What the structure lets expect of a measurement: powder pattern, layers of the reciprocal lattice, structure factors. */
import { useLiveQuery } from 'dexie-react-hooks';
import { useState, type ReactNode } from 'react';
import type { Structure } from '@nagare/core/crystal/structure';
import type { LayerAxis } from '@nagare/core/powder/expected';
import { run } from '../../engine/engine.ts';
import { useAnswer } from '../../engine/use-answer.ts';
import { NumberField, Sheet } from '../../frame/parts.tsx';
import { db } from '../../store/db.ts';
import { useProject } from '../../store/use-project.tsx';
import { ExpectedPatternPicture, LayerPicture } from './ExpectedPictures.tsx';
import { factorTable, layerName, layerTable, lineTable } from './expected-words.ts';
import { TableActions } from './TableActions.tsx';

const KINDS = ['powder pattern', 'precession picture', 'structure factors'] as const;
type Kind = (typeof KINDS)[number];
/** Å: copper and molybdenum, where the measurement has none. */
const COPPER = 1.5406,
  MOLYBDENUM = 0.71073;
const MOST_ROWS = 40;

export function ExpectedSheet({ s }: { s: Structure }): ReactNode {
  const [kind, setKind] = useState<Kind | undefined>();
  return (
    <Sheet
      title="What to expect of a measurement"
      fold={!!kind}
      state="Powder pattern, reflections, precession pictures and structure factors of this model."
    >
      <p className="acts mb-1" role="group" aria-label="What is worked out">
        {KINDS.map((k) => (
          <button
            key={k}
            className="word"
            aria-pressed={k === kind}
            onClick={() => setKind(k === kind ? undefined : k)}
          >
            {k}
          </button>
        ))}
      </p>
      {kind === 'powder pattern' && <Powder s={s} />}
      {kind === 'precession picture' && <Precession s={s} />}
      {kind === 'structure factors' && <Factors s={s} />}
    </Sheet>
  );
}

/** What a pattern is calculated for. */
const PATTERN_FIELDS = [
  { name: 'wavelength', label: 'Wavelength', digits: 4, step: 0.01, min: 0.1, max: 10, unit: 'Å' },
  { name: 'from', label: 'From 2θ', digits: 1, step: 1, min: 0, max: 179, unit: '° to' },
  { name: 'to', label: 'To 2θ', digits: 1, step: 5, min: 1, max: 180, unit: '° 2θ' },
  {
    name: 'width',
    label: 'Width of a line at half its height',
    digits: 3,
    step: 0.02,
    min: 0.01,
    max: 5,
    unit: '° wide',
  },
] as const;

function Powder({ s }: { s: Structure }): ReactNode {
  const { project, head } = useProject('project', 'head');
  const [wish, setWish] = useState({ wavelength: COPPER, from: 3, to: 60, width: 0.12 });
  const change = (part: Partial<typeof wish>): void => setWish({ ...wish, ...part });
  const { data, error } = useAnswer(['expected pattern', head?.id, wish], true, () =>
    run('expected pattern', { structure: s, ...wish }),
  );
  const patterns = useLiveQuery(() => db.patterns.toArray()) ?? [];
  const [choice, setChoice] = useState('');
  const pattern = patterns.find((p) => p.id === choice)?.file.pattern;
  const beside = useAnswer(['measured beside', head?.id, choice, wish.wavelength], !!pattern, () =>
    run('measured beside', { structure: s, wavelength: wish.wavelength, pattern: pattern! }),
  );
  const choose = (id: string): void => {
    setChoice(id);
    const t = patterns.find((p) => p.id === id)?.file.pattern.twoTheta;
    // The whole of what was measured.
    if (t?.length) change({ from: Math.floor(t[0]!), to: Math.ceil(t.at(-1)!) });
  };
  return (
    <>
      {patterns.length > 0 && (
        <label className="reach mb-1">
          <span className="soft">beside a measured pattern</span>
          <select
            className="form-select form-select-sm w-auto"
            aria-label="A measured pattern"
            value={choice}
            onChange={(e) => choose(e.target.value)}
          >
            <option value="">none</option>
            {patterns.map((p) => (
              <option key={p.id} value={p.id}>
                {p.fileName}
              </option>
            ))}
          </select>
        </label>
      )}
      {pattern && beside.data && (
        <p className="mb-1">
          Alike by <strong>{beside.data.similarity.toFixed(2)}</strong>, 0 for nothing in common, 1 for the same.
        </p>
      )}
      <div className="void-fields">
        {PATTERN_FIELDS.map(({ name, ...field }) => (
          <NumberField
            key={name}
            id={`expected-${name}`}
            value={wish[name]}
            {...field}
            commit
            onChange={(x) => change({ [name]: x })}
          />
        ))}
      </div>
      {error && <p className="mb-1">{error.message}</p>}
      {data && (
        <>
          <ExpectedPatternPicture found={data} measured={beside.data?.points} />
          <table className="relate mb-1" aria-label="Lines of the pattern">
            <thead>
              <tr>
                <th>h k l</th>
                <th className="n">2θ, °</th>
                <th className="n">d, Å</th>
                <th className="n">times</th>
                <th className="n">I, %</th>
              </tr>
            </thead>
            <tbody>
              {data.lines.slice(0, MOST_ROWS).map((r) => (
                <tr key={`${r.h} ${r.k} ${r.l}`}>
                  <td>{[r.h, r.k, r.l].join(' ').replace(/-/g, '−')}</td>
                  <td className="n">{r.twoTheta.toFixed(3)}</td>
                  <td className="n">{r.d.toFixed(4)}</td>
                  <td className="n">{r.multiplicity}</td>
                  <td className="n">{r.intensity.toFixed(1)}</td>
                </tr>
              ))}
            </tbody>
          </table>
          <p className="acts mb-0">
            <TableActions table={() => lineTable(data, wish.wavelength)} fileName={`${project.name}-pattern.csv`} />
            <More count={data.lines.length} />
          </p>
        </>
      )}
    </>
  );
}

const More = ({ count }: { count: number }): ReactNode =>
  count > MOST_ROWS && (
    <span className="soft fine">
      The first {MOST_ROWS} of {count}; files hold all of them.
    </span>
  );

function Resolution(props: { id: string; value: number; onChange(dMin: number): void }): ReactNode {
  return (
    <NumberField
      {...props}
      label="Smallest spacing"
      digits={2}
      step={0.1}
      min={0.25}
      max={50}
      unit="Å and more"
      commit
    />
  );
}

function Precession({ s }: { s: Structure }): ReactNode {
  const { project, head } = useProject('project', 'head');
  const wavelength = project.experiment.wavelength ?? MOLYBDENUM;
  const [axis, setAxis] = useState<LayerAxis>(2);
  const [level, setLevel] = useState(0);
  const [dMin, setDMin] = useState(1);
  const wish = { axis, level, dMin, wavelength };
  const { data, error } = useAnswer(['reciprocal layer', head?.id, wish], true, () =>
    run('reciprocal layer', { structure: s, ...wish }),
  );
  return (
    <>
      <div className="void-fields">
        <span role="group" aria-label="Which index is held">
          {([0, 1, 2] as const).map((k) => (
            <button key={k} className="word" aria-pressed={k === axis} onClick={() => setAxis(k)}>
              {layerName(k, level)}
            </button>
          ))}
        </span>
        <NumberField
          id="layer-level"
          label="Level of the layer"
          value={level}
          digits={0}
          step={1}
          min={-60}
          max={60}
          unit="level"
          onChange={(x) => setLevel(Math.round(x))}
        />
        <Resolution id="layer-resolution" value={dMin} onChange={setDMin} />
      </div>
      {error && <p className="mb-1">{error.message}</p>}
      {data && (
        <>
          <LayerPicture layer={data} axis={axis} name={layerName(axis, level)} />
          <p className="acts mb-0">
            <TableActions
              table={() => layerTable(data, layerName(axis, level))}
              fileName={`${project.name}-${layerName(axis, level).replace(/ /g, '')}.csv`}
            />
          </p>
        </>
      )}
    </>
  );
}

function Factors({ s }: { s: Structure }): ReactNode {
  const { project, head } = useProject('project', 'head');
  const [dMin, setDMin] = useState(1);
  const wavelength = project.experiment.wavelength ?? 0;
  const { data, error } = useAnswer(['expected factors', head?.id, dMin, wavelength], true, () =>
    run('expected factors', { structure: s, dMin, wavelength }),
  );
  return (
    <>
      <div className="void-fields">
        <Resolution id="factor-resolution" value={dMin} onChange={setDMin} />
        <span className="soft fine">
          {wavelength ? `dispersion at ${wavelength.toFixed(4)} Å` : 'no wavelength is known: without dispersion'}
        </span>
      </div>
      {error && <p className="mb-1">{error.message}</p>}
      {data && (
        <>
          <table className="relate mb-1" aria-label="Structure factors">
            <thead>
              <tr>
                <th>h k l</th>
                <th className="n">d, Å</th>
                <th className="n">|F|, e</th>
                <th className="n">phase, °</th>
              </tr>
            </thead>
            <tbody>
              {data.slice(0, MOST_ROWS).map((r) => (
                <tr key={`${r.h} ${r.k} ${r.l}`}>
                  <td>{[r.h, r.k, r.l].join(' ').replace(/-/g, '−')}</td>
                  <td className="n">{r.d.toFixed(4)}</td>
                  <td className="n">{r.f.toFixed(2)}</td>
                  <td className="n">{r.phase.toFixed(1)}</td>
                </tr>
              ))}
            </tbody>
          </table>
          <p className="acts mb-0">
            <TableActions table={() => factorTable(data)} fileName={`${project.name}-factors.csv`} />
            <More count={data.length} />
          </p>
        </>
      )}
    </>
  );
}
