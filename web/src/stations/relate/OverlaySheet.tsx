/** One molecule laid over another: of this structure, of another mark, of another project. */
import { useEffect, useState, type ReactNode } from 'react';
import { Button } from 'react-bootstrap';
import { siteOf, type AtomRef } from '@nagare/core/crystal/atom-ref';
import type { Structure } from '@nagare/core/crystal/structure';
import type { Overlay } from '@nagare/core/geometry/superposition';
import { run } from '../../engine/engine.ts';
import { PickRow, Sheet } from '../../frame/parts.tsx';
import { atomName, atomNames } from '../../frame/selection-measure.ts';
import { structureOfChoice, useOtherStructures } from '../../store/other-structures.ts';
import { useProject } from '../../store/use-project.tsx';

const HERE = 'the selection';

export function OverlaySheet({ s }: { s: Structure }): ReactNode {
  const { selection, setGhost } = useProject('selection', 'setGhost');
  const others = useOtherStructures();
  const [first, setFirst] = useState<AtomRef | undefined>();
  const [other, setOther] = useState(HERE);
  const [options, setOptions] = useState({ mirror: false, hydrogens: false });
  const [state, setState] = useState<{ found?: Overlay; problem?: string; working?: boolean }>({});
  const last = selection.filter((a) => siteOf(s, a)).at(-1);
  // What lies over the crystal goes with the sheet.
  useEffect(() => () => setGhost(undefined), [setGhost]);
  const start = first && siteOf(s, first) ? first : undefined;
  const lay = async (): Promise<void> => {
    if (!start) return;
    setState({ working: true });
    try {
      const structure = other === HERE ? s : await structureOfChoice(other);
      if (!structure) throw new Error('That mark or project holds no structure any more.');
      if (other === HERE && !last) throw new Error('Select an atom of the second molecule.');
      const found = await run('overlay', {
        first: { structure: s, atom: start },
        second: { structure, ...(other === HERE ? { atom: last! } : {}) },
        options,
      }).result;
      setGhost({ title: 'Laid over', positions: [...found.positions], elements: [...found.elements], colour: 'gold' });
      setState({ found });
    } catch (e) {
      setGhost(undefined);
      setState({ problem: (e as Error).message });
    }
  };
  return (
    <Sheet
      title="One over another"
      fold
      shut
      state={
        start
          ? `The molecule of ${atomName(s, start)}, and over it ${other === HERE ? 'the molecule selected next' : 'the chosen one'}.`
          : 'Select an atom of the molecule that stays, then take it as the first.'
      }
    >
      <p className="acts mb-1">
        {last && (
          <button className="word" onClick={() => setFirst(last)}>
            Take {atomName(s, last)} as the first
          </button>
        )}
      </p>
      {start && (
        <div className="selection-style">
          <select
            aria-label="What is laid over it"
            className="form-select form-select-sm"
            value={other}
            onChange={(e) => setOther(e.target.value)}
          >
            <option value={HERE}>the molecule selected now</option>
            {others.marks.length > 0 && (
              <optgroup label="Marks">
                {others.marks.map(([value, name]) => (
                  <option key={value} value={value}>
                    {name}
                  </option>
                ))}
              </optgroup>
            )}
            {others.projects.length > 0 && (
              <optgroup label="Projects">
                {others.projects.map(([value, name]) => (
                  <option key={value} value={value}>
                    {name}
                  </option>
                ))}
              </optgroup>
            )}
          </select>
          <label className="word">
            <input
              type="checkbox"
              checked={options.mirror}
              onChange={() => setOptions({ ...options, mirror: !options.mirror })}
            />{' '}
            mirror allowed
          </label>
          <label className="word">
            <input
              type="checkbox"
              checked={options.hydrogens}
              onChange={() => setOptions({ ...options, hydrogens: !options.hydrogens })}
            />{' '}
            with hydrogen
          </label>
          <Button size="sm" disabled={state.working ?? false} onClick={() => void lay()}>
            Lay it over
          </Button>
        </div>
      )}
      {state.problem && (
        <p className="off mb-0" role="alert">
          {state.problem}
        </p>
      )}
      {state.found && <OverlayTables s={s} found={state.found} />}
    </Sheet>
  );
}

/** Distances beyond the largest few are of no interest until the list is opened. */
const FEW = 8;

function OverlayTables({ s, found }: { s: Structure; found: Overlay }): ReactNode {
  const { select } = useProject('select');
  const [all, setAll] = useState(false);
  const pairs = [...found.pairs].sort((p, q) => q.distance - p.distance);
  const torsions = found.torsions.filter((t) => Math.abs(t.difference) >= 0.05);
  return (
    <>
      <p className="mb-1" data-testid="overlay">
        R.m.s. {found.rms.toFixed(3)} Å over {found.pairs.length} atoms
        {found.mirrored ? ', the second taken as its mirror image' : ''}.
      </p>
      <table className="relate">
        <thead>
          <tr>
            <th>atom</th>
            <th className="n">apart, Å</th>
          </tr>
        </thead>
        <tbody>
          {(all ? pairs : pairs.slice(0, FEW)).map((p) => (
            <PickRow key={`${p.first.site}${p.first.shift.join()}`} chosen={false} onPick={() => select([p.first])}>
              <td className="name">{atomName(s, p.first)}</td>
              <td className="n">{p.distance.toFixed(3)}</td>
            </PickRow>
          ))}
        </tbody>
      </table>
      {pairs.length > FEW && (
        <button className="word" onClick={() => setAll(!all)}>
          {all ? 'The largest only' : `All ${pairs.length}`}
        </button>
      )}
      {torsions.length > 0 && (
        <table className="relate">
          <thead>
            <tr>
              <th>torsion</th>
              <th className="n">first, °</th>
              <th className="n">second, °</th>
              <th className="n">difference</th>
            </tr>
          </thead>
          <tbody>
            {torsions.map((t, i) => (
              <PickRow key={i} chosen={false} onPick={() => select(t.atoms)}>
                <td className="name">{atomNames(s, t.atoms).join('–')}</td>
                <td className="n">{t.first.toFixed(1)}</td>
                <td className="n">{t.second.toFixed(1)}</td>
                <td className="n">{t.difference.toFixed(1)}</td>
              </PickRow>
            ))}
          </tbody>
        </table>
      )}
    </>
  );
}
