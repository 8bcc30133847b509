/** A molecule over a surface: which, over which atom, how high and how turned. */
import { useState, type ReactNode } from 'react';
import { Button } from 'react-bootstrap';
import { moleculeOf, SMALL_MOLECULES, type GuestAtom } from '@nagare/core/build/guest';
import { positionOf, siteOf } from '@nagare/core/crystal/atom-ref';
import type { Vec3 } from '@nagare/core/math/matrix3';
import { NumberRow } from '../../frame/NumberRow.tsx';
import { NumberField, Sheet } from '../../frame/parts.tsx';
import { atomName } from '../../frame/selection-measure.ts';
import { structureOfChoice, useOtherStructures } from '../../store/other-structures.ts';
import { useProject } from '../../store/use-project.tsx';
import type { BuildSheetProps } from './Build.tsx';
import { OtherStructures } from './OtherStructures.tsx';

interface Guest {
  readonly name: string;
  readonly atoms: readonly GuestAtom[];
}

interface Standing {
  readonly height: number;
  readonly anchor: number;
  readonly turns: Vec3;
}

const small = (name: string): Guest => ({ name, atoms: SMALL_MOLECULES[name]! });

export function GuestSheet({ wish, onWish }: BuildSheetProps): ReactNode {
  const { head, selection } = useProject('head', 'selection');
  const others = useOtherStructures();
  const [other, setOther] = useState('');
  const [guest, setGuest] = useState<Guest>(() => small('H2O'));
  const [problem, setProblem] = useState<string | undefined>();
  const [standing, setStanding] = useState<Standing>({ height: 2.2, anchor: 0, turns: [0, 0, 0] });
  const s = head!.structure!;
  const atom = selection.filter((a) => siteOf(s, a)).at(-1);
  const mine = wish?.kind === 'guest';
  const show = (g: Guest, how: Standing): void => {
    if (!atom) return;
    onWish({ kind: 'guest', guest: g.atoms, name: g.name, placing: { over: positionOf(s, atom), ...how } });
  };
  const takeGuest = (g: Guest): void => {
    setGuest(g);
    setProblem(undefined);
    const next = { ...standing, anchor: 0 };
    setStanding(next);
    if (mine) show(g, next);
  };
  const takeOther = async (choice: string): Promise<void> => {
    setOther(choice);
    if (!choice) return takeGuest(small('H2O'));
    try {
      const structure = await structureOfChoice(choice);
      if (!structure) throw new Error('That mark or project holds no structure any more.');
      takeGuest({ name: 'A molecule', atoms: moleculeOf(structure) });
    } catch (e) {
      setProblem((e as Error).message);
    }
  };
  const change = (part: Partial<Standing>): void => {
    const next = { ...standing, ...part };
    setStanding(next);
    if (mine) show(guest, next);
  };
  return (
    <Sheet
      title="A molecule above"
      fold
      shut
      state={atom ? `${guest.name} over ${atomName(s, atom)}.` : 'Select the atom that a molecule shall stand over.'}
    >
      <div className="triple">
        {!other && (
          <select
            className="form-select form-select-sm"
            aria-label="Small molecule"
            value={guest.name}
            onChange={(e) => takeGuest(small(e.target.value))}
          >
            {Object.keys(SMALL_MOLECULES).map((name) => (
              <option key={name}>{name}</option>
            ))}
          </select>
        )}
        <OtherStructures value={other} here="a small one" others={others} onChange={(c) => void takeOther(c)} />
        <NumberField
          id="guest-height"
          label="Height over the atom, Å; negative for beneath"
          value={standing.height}
          digits={2}
          step={0.1}
          min={-20}
          max={20}
          unit="Å over it"
          onChange={(height) => change({ height })}
        />
        <select
          className="form-select form-select-sm"
          aria-label="Atom of the molecule next to the surface"
          value={standing.anchor}
          onChange={(e) => change({ anchor: Number(e.target.value) })}
        >
          {guest.atoms.map((a, i) => (
            <option key={i} value={i}>
              by {a.element} {i + 1}
            </option>
          ))}
        </select>
        <span className="soft">leaning by</span>
        <NumberRow
          id="guest-turns"
          labels={['Leaning about a, °', 'Leaning about the direction across a, °', 'Turned about the normal, °']}
          values={standing.turns}
          digits={0}
          step={15}
          min={-360}
          max={360}
          onChange={([x, y, z]) => change({ turns: [x!, y!, z!] })}
        />
        <span className="soft">° about a, across it, about the normal</span>
        <Button size="sm" disabled={!atom} onClick={() => show(guest, standing)}>
          Look at it
        </Button>
      </div>
      {problem && (
        <p className="off mb-0" role="alert">
          {problem}
        </p>
      )}
    </Sheet>
  );
}
