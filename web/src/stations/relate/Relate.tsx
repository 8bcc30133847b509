/** Relate: what the rings of a crystal are, how they lie to one another, and what surrounds its centres. */
import './relate.scss';
import { useMemo, useState, type ReactNode } from 'react';
import { Button } from 'react-bootstrap';
import { useNavigate } from 'react-router';
import { withBonding } from '@nagare/core/crystal/bonding';
import type { Structure } from '@nagare/core/crystal/structure';
import { bonded } from '@nagare/core/geometry/bonding-proposal';
import type { Relations } from '@nagare/core/tasks/relate-task';
import { z } from 'zod';
import { Sheet } from '../../frame/parts.tsx';
import { remember, remembered } from '../../store/remembered.ts';
import { useProject } from '../../store/use-project.tsx';
import { BondsSheet } from './BondsSheet.tsx';
import { ContactsSheet } from './ContactsSheet.tsx';
import { CoordinationSheet } from './CoordinationSheet.tsx';
import { DrawnSheet } from './DrawnSheet.tsx';
import { EnergiesSheet } from './EnergiesSheet.tsx';
import { BesideSheet } from './BesideSheet.tsx';
import { ExpectedSheet } from './ExpectedSheet.tsx';
import { ShapeSheet } from './ShapeSheet.tsx';
import { VoidsSheet } from './VoidsSheet.tsx';
import { MeasuresSheet } from './MeasuresSheet.tsx';
import { OverlaySheet } from './OverlaySheet.tsx';
import { PolyhedraSheet } from './PolyhedraSheet.tsx';
import { RelationsSheet, RingsSheet } from './RingsSheets.tsx';
import { StylesSheet } from './StylesSheet.tsx';
import { SurroundingsSheet } from './SurroundingsSheet.tsx';
import { ViewsSheet } from './ViewsSheet.tsx';
import { WishesSheet } from './WishesSheet.tsx';
import { useRelations } from './use-relations.ts';

const REACH = 'reach of rings';

export function RelateDesk(): ReactNode {
  const { head, project, looks } = useProject('head', 'project', 'looks');
  const navigate = useNavigate();
  const [reach, setReach] = useState(() => remembered(REACH, z.number().positive().max(20), 5));
  const { found, working, error } = useRelations(reach, looks.cuts);
  const plain = head?.structure;
  // The bonds that are drawn are those that the station speaks of.
  const s = useMemo(() => plain && bonded(withBonding(plain, looks.bonding)), [plain, looks.bonding]);
  if (!s?.sites.length)
    return (
      <Sheet title="No model yet" state="Rings, planes and coordination are told from a model.">
        <Button onClick={() => void navigate(`/projects/${project.id}/intake`)}>Go to Intake</Button>
      </Sheet>
    );
  return (
    <>
      <DrawnSheet s={s} />
      <BondsSheet s={s} />
      <PolyhedraSheet s={s} />
      <StylesSheet />
      <ViewsSheet s={s} />
      <MeasuresSheet s={s} />
      <ContactsSheet s={s} />
      <WishesSheet s={s} />
      <SurroundingsSheet s={s} />
      <EnergiesSheet s={s} />
      <VoidsSheet s={s} />
      <ShapeSheet s={s} />
      <BesideSheet s={s} />
      <ExpectedSheet s={s} />
      <LengthsSheet />
      <KnownSheet />
      <OverlaySheet s={s} />
      {found ? (
        <Findings
          s={s}
          found={found}
          reach={reach}
          onReach={(v) => {
            remember(REACH, v);
            setReach(v);
          }}
        />
      ) : (
        <Sheet title="Rings" state={working ? 'Working it out…' : (error ?? '')} />
      )}
    </>
  );
}

/** Opens the tables of bonds and angles in the place of the crystal. */
function LengthsSheet(): ReactNode {
  const { pane, setPane } = useProject('pane', 'setPane');
  const open = pane === 'lengths';
  return (
    <Sheet
      title="Bond lengths and angles"
      state="All of them, or those of the selection, by kind with mean, spread and what stands apart."
      action={
        <button className="word" aria-pressed={open} onClick={() => setPane(open ? 'crystal' : 'lengths')}>
          {open ? 'Back to the crystal' : 'Show the tables'}
        </button>
      }
    />
  );
}

/** Opens everything that is recorded and worked out in the place of the crystal. */
function KnownSheet(): ReactNode {
  const { pane, setPane } = useProject('pane', 'setPane');
  const open = pane === 'known';
  return (
    <Sheet
      title="Everything known about it"
      state="What was recorded and what follows from it, with units and meanings; several structures side by side."
      action={
        <button className="word" aria-pressed={open} onClick={() => setPane(open ? 'crystal' : 'known')}>
          {open ? 'Back to the crystal' : 'Show it all'}
        </button>
      }
    />
  );
}

/** What was found of rings and centres. */
interface FindingsProps {
  readonly s: Structure;
  readonly found: Relations;
  readonly reach: number;
  onReach(v: number): void;
}

function Findings({ s, found, reach, onReach }: FindingsProps): ReactNode {
  const [groups, setGroups] = useState<ReadonlySet<string>>(new Set());
  return (
    <>
      <RingsSheet s={s} found={found} groups={groups} onGroups={setGroups} />
      {found.rings.length > 0 && <RelationsSheet s={s} found={found} groups={groups} reach={reach} onReach={onReach} />}
      <CoordinationSheet s={s} found={found} />
    </>
  );
}
