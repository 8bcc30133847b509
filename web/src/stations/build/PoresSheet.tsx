/** Empty space of the crystal: what fits, what passes, and where. */
import { useEffect, useMemo, useState, type ReactNode } from 'react';
import { Sheet } from '../../frame/parts.tsx';
import { useProject } from '../../store/use-project.tsx';
import type { BuildSheetProps } from './Build.tsx';
import { poreMarks, poreWords } from './build-wishes.ts';
import { usePores } from './use-pores.ts';

export function PoresSheet({ state }: BuildSheetProps): ReactNode {
  const { head, setPores } = useProject('head', 'setPores');
  const [asked, setAsked] = useState(false);
  // Of what is looked at, if something is.
  const shown = state.built?.structure ?? head?.structure;
  const pores = usePores(asked ? shown : undefined, [head?.id, state.built]);
  const marks = useMemo(() => poreMarks(pores), [pores]);
  useEffect(() => {
    setPores(marks);
    return () => setPores([]);
  }, [marks, setPores]);
  const words = !asked
    ? 'The largest sphere that fits, and the widest that passes.'
    : pores === undefined
      ? 'Looking…'
      : poreWords(pores);
  return (
    <Sheet
      title="Empty space"
      state={words}
      action={
        <button className="word" onClick={() => setAsked(!asked)}>
          {asked ? 'Take it away' : 'Look for it'}
        </button>
      }
    >
      {pores && (
        <p className="soft mb-0">
          Between van der Waals surfaces; {(100 * pores.empty).toFixed(0)} % of the volume is outside them.
        </p>
      )}
    </Sheet>
  );
}
