/** Relate: what the rings of a crystal are, how they lie to one another, and what surrounds its centres. */
import './relate.scss';
import { useMemo, useState, type ReactNode } from 'react';
import { Button } from 'react-bootstrap';
import { useNavigate } from 'react-router';
import { originalRef } from '@nagare/core/crystal/atom-ref';
import { withBonding } from '@nagare/core/crystal/bonding';
import type { Structure } from '@nagare/core/crystal/structure';
import { bonded } from '@nagare/core/geometry/bonding-proposal';
import type { Relations } from '@nagare/core/tasks/relate-task';
import { z } from 'zod';
import { PickRow, Sheet } from '../../frame/parts.tsx';
import { remember, remembered } from '../../store/remembered.ts';
import { useProject } from '../../store/use-project.tsx';
import { BondsSheet } from './BondsSheet.tsx';
import { DrawnSheet } from './DrawnSheet.tsx';
import { MeasuresSheet } from './MeasuresSheet.tsx';
import { PolyhedraSheet } from './PolyhedraSheet.tsx';
import { RelationsSheet, RingsSheet } from './RingsSheets.tsx';
import { StylesSheet } from './StylesSheet.tsx';
import { ViewsSheet } from './ViewsSheet.tsx';
import { useRelations } from './use-relations.ts';
import { centreName, rangeWords, ruleWords } from './words.ts';

const REACH = 'reach of rings';

export function RelateDesk(): ReactNode {
  const { head, project, looks } = useProject('head', 'project', 'looks');
  const navigate = useNavigate();
  const [reach, setReach] = useState(() => remembered(REACH, z.number().positive().max(20), 5));
  const { found, working, error } = useRelations(reach);
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

/** What was found of rings and centres. */
function Findings({ s, found, reach, onReach }: Found & { reach: number; onReach(v: number): void }): ReactNode {
  const [groups, setGroups] = useState<ReadonlySet<string>>(new Set());
  return (
    <>
      <RingsSheet s={s} found={found} groups={groups} onGroups={setGroups} />
      {found.rings.length > 0 && <RelationsSheet s={s} found={found} groups={groups} reach={reach} onReach={onReach} />}
      <CoordinationSheet s={s} found={found} />
    </>
  );
}

interface Found {
  readonly s: Structure;
  readonly found: Relations;
}

function CoordinationSheet({ s, found }: Found): ReactNode {
  const { select, setBeside } = useProject('select', 'setBeside');
  const [chosen, setChosen] = useState<number | undefined>();
  const { coordination, globalInstability } = found;
  if (!coordination.length) return null;
  return (
    <Sheet
      title="Coordination"
      fold
      state={
        globalInstability === undefined
          ? `${coordination.length} ${coordination.length === 1 ? 'centre' : 'centres'}.`
          : `Valence sums are off by ${globalInstability.toFixed(2)} on the whole (global instability).`
      }
    >
      <table className="relate">
        <thead>
          <tr>
            <th>centre</th>
            <th className="n">number</th>
            <th>shape</th>
            <th className="n">lengths, Å</th>
            <th className="n">valence</th>
          </tr>
        </thead>
        <tbody>
          {coordination.map((c) => (
            <PickRow
              key={c.site}
              chosen={chosen === c.site}
              onPick={() => {
                const near = c.neighbours.map((n) => n.atom);
                setChosen(c.site);
                setBeside(near);
                select([originalRef(s.sites[c.site]!.id), ...near]);
              }}
            >
              <td className="name">{centreName(s, c)}</td>
              <td className="n">{c.neighbours.length}</td>
              <td>{c.shapes[0] ? `${c.shapes[0].name}, ${c.shapes[0].measure.toFixed(2)}` : ''}</td>
              <td className="n">{rangeWords(c)}</td>
              <td className="n">{c.valenceSum === undefined ? '' : c.valenceSum.toFixed(2)}</td>
            </PickRow>
          ))}
        </tbody>
      </table>
      {coordination
        .filter((c) => c.site === chosen)
        .map((c) => (
          <p key={c.site} className="mb-0">
            {ruleWords(c)}
          </p>
        ))}
    </Sheet>
  );
}
