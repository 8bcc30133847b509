/** What molecules gain by their neighbours: pairs in a table and as tubes, and the lattice. */
import { useQuery } from '@tanstack/react-query';
import { useEffect, useMemo, useState, type ReactNode } from 'react';
import type { CrystalEnergies } from '@nagare/core/contacts/energies';
import type { Structure } from '@nagare/core/crystal/structure';
import { run } from '../../engine/engine.ts';
import { NumberField, PickRow, Sheet } from '../../frame/parts.tsx';
import { useSceneColours } from '../../scene/scene-colours.ts';
import { useProject } from '../../store/use-project.tsx';
import {
  ENERGY_SOURCE,
  energyState,
  energyTable,
  energyText,
  energyTubes,
  neighbourAtoms,
  pairName,
} from './energy-words.ts';
import { TableActions } from './TableActions.tsx';

const MOST_ROWS = 40;
const NO_TUBES = [] as const;

export function EnergiesSheet({ s }: { s: Structure }): ReactNode {
  const { head, looks, setContacts, project } = useProject('head', 'looks', 'setContacts', 'project');
  const colours = useSceneColours();
  const [asked, setAsked] = useState(false);
  const [least, setLeast] = useState(5);
  const query = useQuery({
    queryKey: ['energies', head?.id, looks.bonding],
    enabled: asked,
    staleTime: Infinity,
    gcTime: 60_000,
    retry: false,
    queryFn: () => run('energies', { structure: s }).result,
  });
  const found = asked ? query.data : undefined;
  const tubes = useMemo(() => (found ? energyTubes(s, found, least, colours) : NO_TUBES), [s, found, least, colours]);
  useEffect(() => {
    setContacts('energies', tubes);
    return () => setContacts('energies', NO_TUBES);
  }, [tubes, setContacts]);
  const state = !asked
    ? 'Of a molecule with each of its neighbours, and of the lattice.'
    : (query.error?.message ?? (found ? energyState(found) : 'Working it out…'));
  return (
    <Sheet
      title="Energies between molecules"
      fold={asked}
      state={state}
      action={
        <button className="word" aria-pressed={asked} onClick={() => setAsked(!asked)}>
          {asked ? 'Take them away' : 'Work them out'}
        </button>
      }
    >
      {found && (
        <>
          <Parts found={found} />
          <NumberField
            id="least-energy"
            label="Weakest that is drawn, kJ/mol"
            value={least}
            digits={0}
            step={1}
            min={0}
            max={500}
            unit="kJ/mol and more are drawn as tubes"
            onChange={setLeast}
          />
          <PairRows s={s} found={found} />
          <p className="acts mb-1">
            <TableActions table={() => energyTable(found)} fileName={`${project.name}-energies.csv`} />
          </p>
          {found.remarks.map((r) => (
            <p key={r} className="fine mb-1">
              {r}
            </p>
          ))}
          <p className="soft fine mb-0">{ENERGY_SOURCE}</p>
        </>
      )}
    </Sheet>
  );
}

/** Of the lattice, and which molecule has which number. */
function Parts({ found }: { found: CrystalEnergies }): ReactNode {
  const { lattice, molecules } = found;
  return (
    <>
      {lattice && (
        <p className="fine mb-1">
          Dispersion {energyText(lattice.dispersion)}, repulsion {energyText(lattice.repulsion)}, electrostatic{' '}
          {energyText(lattice.electrostatic)} kJ/mol.
        </p>
      )}
      {molecules.length > 1 && (
        <p className="soft fine mb-1">
          {molecules
            .map(
              (m, i) =>
                `${i + 1} is ${m.formula}${m.charge ? ` (${m.charge > 0 ? '+' : '−'}${Math.abs(m.charge)})` : ''}`,
            )
            .join('; ')}
          .
        </p>
      )}
    </>
  );
}

/** Neighbours by energy; one that is picked is drawn. */
function PairRows({ s, found }: { s: Structure; found: CrystalEnergies }): ReactNode {
  const { setBeside, select } = useProject('setBeside', 'select');
  const [chosen, setChosen] = useState(-1);
  useEffect(() => () => setBeside([]), [setBeside]);
  return (
    <>
      <table className="relate" aria-label="Energies of pairs">
        <thead>
          <tr>
            <th>neighbour</th>
            <th className="n">Å</th>
            <th className="n">energy</th>
            <th className="n" title="dispersion">
              disp.
            </th>
            <th className="n" title="repulsion">
              rep.
            </th>
            <th className="n" title="electrostatic, hydrogen bonds with it">
              elec.
            </th>
          </tr>
        </thead>
        <tbody>
          {found.pairs.slice(0, MOST_ROWS).map((p, i) => (
            <PickRow
              key={`${p.from} ${p.to} ${p.symmetry}`}
              chosen={chosen === i}
              onPick={() => {
                setChosen(i);
                const atoms = neighbourAtoms(s, found, p);
                setBeside(atoms);
                select(atoms);
              }}
            >
              <td className="name">{pairName(found, p)}</td>
              <td className="n">{p.distance.toFixed(2)}</td>
              <td className="n strong">{energyText(p.energy)}</td>
              <td className="n">{energyText(p.dispersion)}</td>
              <td className="n">{energyText(p.repulsion)}</td>
              <td className="n">{energyText(p.electrostatic)}</td>
            </PickRow>
          ))}
        </tbody>
      </table>
      {found.pairs.length > MOST_ROWS && (
        <p className="soft fine mb-1">{found.pairs.length - MOST_ROWS} weaker ones are in the copied table.</p>
      )}
    </>
  );
}
