/** Relate: what the rings of a crystal are, how they lie to one another, and what surrounds its centres. */
import './relate.scss';
import { useState, type ReactNode } from 'react';
import { Button } from 'react-bootstrap';
import { useNavigate } from 'react-router';
import { isHome, operatorOf, originalRef } from '@nagare/core/crystal/atom-ref';
import { formatMeasured, type Measured } from '@nagare/core/crystal/uncertainty';
import type { Structure } from '@nagare/core/crystal/structure';
import type { RingRelation } from '@nagare/core/geometry/ring-readings';
import type { Relations } from '@nagare/core/tasks/relate-task';
import { z } from 'zod';
import { NumberField, PickRow, Sheet } from '../../frame/parts.tsx';
import { remember, remembered } from '../../store/remembered.ts';
import { useProject } from '../../store/use-project.tsx';
import { useRelations } from './use-relations.ts';
import { centreName, formWords, pairAtoms, pairName, rangeWords, ringAtoms, ruleWords, SOURCE_WORDS } from './words.ts';

const REACH = 'reach of rings';
const written = (m: Measured, digits: number): string => formatMeasured(m.value, m.su, digits);

export function RelateDesk(): ReactNode {
  const { head, project } = useProject('head', 'project');
  const navigate = useNavigate();
  const [reach, setReach] = useState(() => remembered(REACH, z.number().positive().max(20), 5));
  const { found, working, error } = useRelations(reach);
  const s = head?.structure;
  if (!s?.sites.length)
    return (
      <Sheet title="No model yet" state="Rings, planes and coordination are told from a model.">
        <Button onClick={() => void navigate(`/projects/${project.id}/intake`)}>Go to Intake</Button>
      </Sheet>
    );
  const waiting = working ? 'Working it out…' : (error ?? '');
  if (!found) return <Sheet title="Rings" state={waiting} />;
  return (
    <>
      <RingsSheet s={s} found={found} />
      {found.rings.length > 0 && (
        <RelationsSheet
          s={s}
          found={found}
          reach={reach}
          onReach={(v) => {
            remember(REACH, v);
            setReach(v);
          }}
        />
      )}
      <CoordinationSheet s={s} found={found} />
    </>
  );
}

interface Found {
  readonly s: Structure;
  readonly found: Relations;
}

function RingsSheet({ s, found }: Found): ReactNode {
  const { select, setGrowth } = useProject('select', 'setGrowth');
  const [chosen, setChosen] = useState<number | undefined>();
  const { rings } = found;
  const state = rings.length
    ? `${rings.length} ${rings.length === 1 ? 'ring' : 'rings'} of up to twelve atoms. ${SOURCE_WORDS[rings[0]!.source]}`
    : 'No rings of up to twelve atoms.';
  return (
    <Sheet title="Rings" state={state} fold>
      {rings.length > 0 && (
        <table className="relate">
          <thead>
            <tr>
              <th>ring</th>
              <th>atoms</th>
              <th className="n">r.m.s., Å</th>
              <th className="n">Q, Å</th>
              <th>form</th>
            </tr>
          </thead>
          <tbody>
            {rings.map((r, i) => (
              <PickRow
                key={i}
                chosen={chosen === i}
                onPick={() => {
                  setChosen(i);
                  setGrowth([]);
                  select(r.atoms);
                }}
              >
                <td className="name">
                  {i + 1} {r.members}
                </td>
                <td className="atoms">{ringAtoms(s, r)}</td>
                <td className="n">{r.rms.toFixed(3)}</td>
                <td className="n">{r.puckering ? r.puckering.q.toFixed(3) : ''}</td>
                <td>{formWords(s, r)}</td>
              </PickRow>
            ))}
          </tbody>
        </table>
      )}
    </Sheet>
  );
}

function RelationsSheet({ s, found, reach, onReach }: Found & { reach: number; onReach(v: number): void }): ReactNode {
  const { select, setGrowth } = useProject('select', 'setGrowth');
  const [chosen, setChosen] = useState<string | undefined>();
  const { rings, relations } = found;
  const take = (r: RingRelation): void => {
    setChosen(pairName(r));
    setGrowth(
      isHome(r.placement) ? [] : [{ through: { operation: operatorOf(s.spaceGroup, r.placement) }, all: false }],
    );
    select(pairAtoms(s, rings, r));
  };
  return (
    <Sheet
      title="Planes to one another"
      fold
      state={`${relations.length} ${relations.length === 1 ? 'pair' : 'pairs'} of rings within ${reach} Å, copies by symmetry included.`}
      action={
        <span className="reach">
          <label htmlFor="reach" className="soft">
            within
          </label>
          <NumberField
            id="reach"
            value={reach}
            digits={1}
            step={0.5}
            unit="Å"
            onChange={(v) => v > 0 && v <= 20 && onReach(v)}
          />
        </span>
      }
    >
      {relations.length > 0 && (
        <table className="relate">
          <thead>
            <tr>
              <th>rings</th>
              <th className="n">angle, °</th>
              <th className="n">centroids, Å</th>
              <th className="n">from plane, Å</th>
              <th className="n">offset, Å</th>
            </tr>
          </thead>
          <tbody>
            {relations.map((r) => (
              <PickRow key={pairName(r)} chosen={chosen === pairName(r)} onPick={() => take(r)}>
                <td>
                  <span className="name">{pairName(r)}</span>
                  <span className="kind">{r.kind}</span>
                </td>
                <td className="n">{written(r.angle, 1)}</td>
                <td className="n">{written(r.centroidDistance, 3)}</td>
                <td className="n">{written(r.perpendicular1, 3)}</td>
                <td className="n">{r.offset.toFixed(2)}</td>
              </PickRow>
            ))}
          </tbody>
        </table>
      )}
    </Sheet>
  );
}

function CoordinationSheet({ s, found }: Found): ReactNode {
  const { select, setGrowth } = useProject('select', 'setGrowth');
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
                setGrowth(near.every(isHome) ? [] : [{ through: { atoms: near }, all: false }]);
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
