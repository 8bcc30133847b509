/** Build: other cells, surfaces, layers and elements of a crystal, each looked at before it is taken, and leaving with certainty. */
import './build.scss';
import { useEffect, useState, type ReactNode } from 'react';
import { Button } from 'react-bootstrap';
import { useNavigate } from 'react-router';
import { withSphericalAtoms } from '@nagare/core/model/kept-factors';
import type { Mat3 } from '@nagare/core/math/matrix3';
import type { BuildWish } from '@nagare/core/tasks/build-task';
import { Sheet } from '../../frame/parts.tsx';
import { createBuilt } from '../../frame/take-in.ts';
import { useProject } from '../../store/use-project.tsx';
import { constantsWords } from '@nagare/core/crystal/cell-words';
import { waysOf } from './build-wishes.ts';
import { CellSheet } from './CellSheet.tsx';
import { FromSymmetry } from './FromSymmetry.tsx';
import { SurfaceSheet } from './SurfaceSheet.tsx';
import { GuestSheet } from './GuestSheet.tsx';
import { LayerSheet } from './LayerSheet.tsx';
import { LeaveSheet } from './LeaveSheet.tsx';
import { OrderSheet } from './OrderSheet.tsx';
import { PoresSheet } from './PoresSheet.tsx';
import { SitesSheet } from './SitesSheet.tsx';
import { StackSheet } from './StackSheet.tsx';
import { SliceSheet, StrainSheet } from './StrainSheet.tsx';
import { SwapSheet } from './SwapSheet.tsx';
import { useBuilt, type BuiltState } from './use-built.ts';

/** What the sheets share: the wish that is looked at, and what became of it. */
export interface BuildSheetProps {
  readonly wish: BuildWish | undefined;
  readonly state: BuiltState;
  onWish(wish: BuildWish): void;
}

export function BuildDesk(): ReactNode {
  const { head, setPreview } = useProject('head', 'setPreview');
  const [wish, setWish] = useState<BuildWish | undefined>();
  const [typing, setTyping] = useState(false);
  const state = useBuilt(wish);
  const { built } = state;
  // What would come stands in the scene until it is taken or left.
  useEffect(() => {
    setPreview(built?.structure);
    return () => setPreview(undefined);
  }, [built, setPreview]);
  useSideView(built && wish?.kind);
  const props: BuildSheetProps = { wish, state, onWish: setWish };
  return (
    <>
      <Outcome wish={wish} state={state} onEnd={() => setWish(undefined)} />
      {head?.structure?.sites.length ? (
        <>
          <CellSheet {...props} />
          <StrainSheet {...props} />
          <SliceSheet {...props} />
          <SurfaceSheet {...props} />
          <LayerSheet {...props} />
          <StackSheet {...props} />
          <GuestSheet {...props} />
          <SitesSheet {...props} />
          <SwapSheet {...props} />
          <OrderSheet {...props} />
          <PoresSheet {...props} />
          <LeaveSheet />
        </>
      ) : (
        <Sheet title="No structure yet" state="Build one from its symmetry, or drop a file that holds one." />
      )}
      <Sheet
        title="From symmetry"
        state="A space group, the constants that are free and a table of sites make a crystal."
        action={
          <button className="word" onClick={() => setTyping(true)}>
            Type or paste one
          </button>
        }
      />
      {typing && <FromSymmetry onEnd={() => setTyping(false)} />}
    </>
  );
}

/** What has nothing above it is looked at from the side, a to the right and the normal up. */
const FROM_THE_SIDE: Mat3 = [1, 0, 0, 0, 0, 1, 0, -1, 0];
const OPEN_ABOVE: ReadonlySet<BuildWish['kind']> = new Set(['slab', 'layer', 'stack', 'guest']);

/** Turns to the side once, when the first such thing appears; how it is turned after that is left alone. */
function useSideView(kind: BuildWish['kind'] | undefined): void {
  const { viewer } = useProject('viewer');
  const open = !!kind && OPEN_ABOVE.has(kind);
  useEffect(() => {
    if (open) viewer?.look({ rotation: FROM_THE_SIDE });
  }, [open, viewer]);
}

interface OutcomeProps {
  readonly wish: BuildWish | undefined;
  readonly state: BuiltState;
  onEnd(): void;
}

/** What would come, with its count, and where it can go. */
function Outcome({ wish, state, onEnd }: OutcomeProps): ReactNode {
  const { head, record, hasData, project, view, setView } = useProject(
    'head',
    'record',
    'hasData',
    'project',
    'view',
    'setView',
  );
  const navigate = useNavigate();
  if (!wish) return null;
  const { built, working, error } = state;
  const { mark, why } = waysOf(wish, hasData);
  const take = async (): Promise<void> => {
    if (!built) return;
    const { structure, title, words } = built;
    // Before the mark, so that the first undo takes back the mark.
    if (view.extent !== 'closed cell') setView({ extent: 'closed cell' });
    // Twins, solvent and the like go on where the axes stay.
    const treatment = hasData && head ? { treatment: withSphericalAtoms(head.treatment) } : {};
    await record({ kind: 'edit', title, message: words, content: { kind: 'structure', structure, ...treatment } });
    onEnd();
  };
  const takeAside = async (): Promise<void> => {
    if (!built) return;
    const id = await createBuilt(`${project.name}, ${built.title}`, built.structure, built.title);
    onEnd();
    await navigate(`/projects/${id}/build`);
  };
  return (
    <Sheet title={built ? built.title : working ? 'Building…' : 'Nothing came of it'} state={error ?? built?.words}>
      {built && (
        <div className="outcome">
          <p className="mono fine mb-1">{constantsWords(built.structure.cell)}</p>
          {why && <p className="soft mb-1">{why}</p>}
          <p className="acts mb-0">
            {mark && <Button onClick={() => void take()}>Take it</Button>}
            <Button variant={mark ? 'outline-primary' : 'primary'} onClick={() => void takeAside()}>
              Take it as a project of its own
            </Button>
            <button className="word" onClick={onEnd}>
              Leave it
            </button>
          </p>
        </div>
      )}
      {error && (
        <button className="word" onClick={onEnd}>
          Leave it
        </button>
      )}
    </Sheet>
  );
}
