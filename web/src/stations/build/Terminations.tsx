/** Every way to cut the crystal along the plane, as a picture and in figures, and remedies that can be tried. */
import { useQuery } from '@tanstack/react-query';
import type { ReactNode } from 'react';
import type { Remedy } from '@nagare/core/build/cut-slab';
import type { Termination } from '@nagare/core/build/surface';
import { formulaText } from '@nagare/core/crystal/formula';
import type { BuildWish, CutSurface } from '@nagare/core/tasks/build-task';
import { run } from '../../engine/engine.ts';
import { useProject } from '../../store/use-project.tsx';
import { dipoleWords } from './build-wishes.ts';

type SlabWish = Extract<BuildWish, { kind: 'slab' }>;

interface TerminationsProps {
  readonly surface: CutSurface;
  readonly wish: SlabWish;
  onWish(wish: BuildWish): void;
}

/** Pictures come when they are ready; the figures do not wait for them. */
function usePictures(plane: SlabWish['plane']): readonly string[] {
  const { head } = useProject('head');
  const query = useQuery({
    queryKey: ['termination pictures', head?.id, plane],
    enabled: !!head?.structure,
    staleTime: Infinity,
    gcTime: 60_000,
    retry: false,
    queryFn: () => run('termination pictures', { structure: head!.structure!, plane }).result,
  });
  return query.data ?? [];
}

export function Terminations({ surface, wish, onWish }: TerminationsProps): ReactNode {
  const { terminations, chosen, area, spacing } = surface;
  const pictures = usePictures(wish.plane);
  const { remedy: _, ...plain } = wish;
  return (
    <>
      <p className="soft mb-1">
        {area.toFixed(2)} Å² a cell, {spacing.toFixed(3)} Å a layer; {terminations.length}{' '}
        {terminations.length === 1 ? 'way' : 'ways'} to cut.
      </p>
      <div className="cuts" role="radiogroup" aria-label="Ways to cut">
        {terminations.map((t) => (
          <Cut
            key={t.index}
            cut={t}
            picture={pictures[t.index]}
            chosen={t.index === chosen}
            onPick={() => onWish({ ...plain, termination: t.index })}
          />
        ))}
      </div>
      <Remedies surface={surface} wish={wish} onWish={onWish} />
    </>
  );
}

interface CutProps {
  readonly cut: Termination;
  readonly picture: string | undefined;
  readonly chosen: boolean;
  onPick(): void;
}

function Cut({ cut, picture, chosen, onPick }: CutProps): ReactNode {
  const state = cut.polar ? 'polar' : cut.dipole === undefined ? '' : 'no dipole';
  return (
    <button role="radio" aria-checked={chosen} className={chosen ? 'cut plain chosen' : 'cut plain'} onClick={onPick}>
      {picture ? (
        <img alt="" src={`data:image/svg+xml,${encodeURIComponent(picture)}`} />
      ) : (
        <span className="waiting" aria-hidden="true" />
      )}
      <strong>{formulaText(cut.uppermost)}</strong>
      <span className="n">{cut.brokenBonds.toFixed(3)} bonds Å⁻²</span>
      <span className="n">gap {cut.gap.toFixed(2)} Å</span>
      <span className={cut.polar ? 'off' : 'soft'}>
        {[state, cut.symmetric ? 'sides alike' : ''].filter(Boolean).join(', ')}
      </span>
    </button>
  );
}

const REMEDY_WORDS: Readonly<Record<Remedy, string>> = {
  alike: 'both sides alike',
  moved: 'part of the plane moved beneath',
  hydrogens: 'cut bonds ended with hydrogen',
};

/** The slab against the crystal's composition, its dipole, and what can be tried. */
function Remedies({ surface, wish, onWish }: TerminationsProps): ReactNode {
  const { excess, dipole, terminations, chosen } = surface;
  const { remedy, ...plain } = wish;
  const better = terminations.find((t) => !t.polar && t.index !== chosen);
  const beyond = formulaText(excess);
  const tries: readonly Remedy[] = ['alike', 'moved', 'hydrogens'];
  return (
    <>
      <p className="mb-1">
        {beyond ? `${beyond} beyond whole formula units` : 'The composition of the crystal'}; {dipoleWords(dipole)}.
      </p>
      <p className="acts mb-1">
        <span className="soft">Try</span>
        {terminations[chosen]?.polar && better && (
          <button className="word" onClick={() => onWish({ ...plain, termination: better.index })}>
            the cut above {formulaText(better.uppermost)}
          </button>
        )}
        {tries.map((r) => (
          <label key={r} className="word">
            <input
              type="checkbox"
              checked={remedy === r}
              onChange={() =>
                onWish(remedy === r ? { ...plain, termination: chosen } : { ...plain, termination: chosen, remedy: r })
              }
            />{' '}
            {REMEDY_WORDS[r]}
          </label>
        ))}
      </p>
    </>
  );
}
