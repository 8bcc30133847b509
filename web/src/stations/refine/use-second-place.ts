/** The search for a second place of atoms, the one that is shown, and what becomes of it. */
import { useEffect, useRef, useState } from 'react';
import { orthogonalization } from '@nagare/core/crystal/cell';
import { cartesian } from '@nagare/core/crystal/structure';
import { add, apply3, inverse3, type Vec3 } from '@nagare/core/math/matrix3';
import { addPlace } from '@nagare/core/model/disorder';
import type { PlaceProposal } from '@nagare/core/model/second-place';
import type { PlacesTaskResult } from '@nagare/core/tasks/model-tasks';
import { run } from '../../engine/engine.ts';
import { useEdit, useProject } from '../../store/use-project.tsx';
import { useExperiment } from './use-experiment.ts';

/** Title of the ghost that shows a second place. */
const GHOST = 'second place';

export interface Laying {
  readonly markId: string;
  readonly sites: readonly number[];
  readonly result: PlacesTaskResult;
  readonly proposal: PlaceProposal | undefined;
}

export interface PlaceHands {
  /** What is being laid on the model shown. */
  readonly laying: Laying | undefined;
  /** Positions of the copy on the scene, Cartesian. */
  readonly positions: readonly Vec3[] | undefined;
  begin(sites: readonly number[], turnBonds: boolean): Promise<void>;
  show(p: PlaceProposal): void;
  byHand(): void;
  use(positions: readonly Vec3[]): void;
  leave(): void;
}

export function useSecondPlace(): PlaceHands {
  const { head, perform, setProblem, ghost, setGhost } = useProject(
    'head',
    'perform',
    'setProblem',
    'ghost',
    'setGhost',
  );
  const edit = useEdit();
  const input = useExperiment();
  const s = head!.structure!;
  const [last, setLast] = useState<Laying | undefined>();
  const searched = useRef<{ readonly key: string; readonly result: PlacesTaskResult } | undefined>(undefined);
  const laying = last?.markId === head!.id ? last : undefined;

  const put = (result: PlacesTaskResult, positions: Vec3[]): void =>
    setGhost({
      title: GHOST,
      positions,
      elements: result.fragment.sites.map((i) => s.sites[i]!.element),
      colour: 'gold',
      movable: 'move',
      map: result.map,
    });
  const showOf = (sites: readonly number[], result: PlacesTaskResult, p: PlaceProposal): void => {
    setLast({ markId: head!.id, sites, result, proposal: p });
    put(
      result,
      p.positions.map((x) => cartesian(s.cell, x)),
    );
  };
  const begin = async (sites: readonly number[], turnBonds: boolean): Promise<void> => {
    if (!input) return;
    // What was searched for once at this mark is at hand when the person comes back to it.
    const key = `${head!.id}|${sites.join()}|${turnBonds}`;
    const known = searched.current?.key === key ? searched.current.result : undefined;
    const search = () =>
      perform('Laying out a second place', (tell) => run('places', { ...input, sites, turn: turnBonds }, tell));
    const result = known ?? (await search());
    if (!result) return;
    searched.current = { key, result };
    setLast({ markId: head!.id, sites, result, proposal: undefined });
    if (result.proposals[0]) showOf(sites, result, result.proposals[0]);
    else setProblem('No place was found where the copy meets residual density. Choose other atoms, or lay it by hand.');
  };
  const byHand = (): void => {
    const { result } = laying!;
    put(
      result,
      result.fragment.sites.map((i) => add(cartesian(s.cell, s.sites[i]!.position), [0.5, 0, 0])),
    );
  };
  const use = (positions: readonly Vec3[]): void => {
    const { result, sites } = laying!;
    const inverse = inverse3(orthogonalization(s.cell));
    const named = sites.length <= 3 ? sites.map((i) => s.sites[i]!.label).join(', ') : `${sites.length} atoms`;
    void edit(
      addPlace(s, {
        sites: result.fragment.sites,
        positions: positions.map((p) => apply3(inverse, p)),
        occupancy: Math.min(0.85, Math.max(0.15, 1 - result.share)),
      }),
      `second place for ${named}`,
    );
    setLast(undefined);
  };

  // Escape in the scene puts the ghost away; then nothing is being laid.
  const had = useRef(false);
  useEffect(() => {
    if (ghost?.title === GHOST) had.current = true;
    else if (had.current) {
      had.current = false;
      setLast(undefined);
    }
  }, [ghost]);

  return {
    laying,
    positions: ghost?.title === GHOST ? ghost.positions : undefined,
    begin,
    show: (p) => showOf(laying!.sites, laying!.result, p),
    byHand,
    use,
    leave: () => {
      setGhost(undefined);
      setLast(undefined);
    },
  };
}
