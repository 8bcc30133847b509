/** Restraints and constraints: made from a selection in two clicks, said in words, worst first, switched off to see. */
import { originalRef } from '@nagare/core/crystal/atom-ref';
import { selectedSites } from '../../store/selection.ts';
import { useMemo, type ReactNode } from 'react';
import {
  constraintWords,
  NO_CONTROLS,
  restraintSites,
  restraintWords,
  type Restraint,
  type RestraintKind,
} from '@nagare/core/crystal/controls';
import { neededRestraints, offersFor, type Offer } from '@nagare/core/model/propose-restraints';
import { withControls } from '@nagare/core/model/place-hydrogens';
import { restraintStandings } from '@nagare/core/refine/model-restraints';
import { physicalValues } from '@nagare/core/refine/parameters';
import { newId } from '@nagare/core/crystal/structure';
import { Sheet, NumberField } from '../../frame/parts.tsx';
import { useProject, useEdit } from '../../store/use-project.tsx';

/** Units of target and s.u. of each kind of restraint. */
const UNITS: Readonly<Record<RestraintKind, string>> = {
  distance: 'Å',
  'distance 1,3': 'Å',
  'equal distance': 'Å',
  planar: 'Å',
  'chiral volume': 'Å³',
  'same geometry': 'Å',
  'rigid bond': 'Å²',
  'enhanced rigid bond': 'Å²',
  'similar displacement': 'Å²',
  'near isotropic': 'Å²',
  'keep apart': 'Å',
  occupancy: '',
  displacement: 'Å²',
};

export function RestraintsSheet(): ReactNode {
  const { head, selection, select } = useProject('head', 'selection', 'select');
  const total = head!.readings?.restraints ?? 0;
  const edit = useEdit();
  const s = head!.structure!;
  const controls = s.controls ?? NO_CONTROLS;
  const label = useMemo(() => {
    const m = new Map(s.sites.map((x) => [x.id, x.label]));
    return (id: string): string => m.get(id) ?? '?';
  }, [s]);
  const standings = useMemo(() => new Map(restraintStandings(s, physicalValues(s, 1, 0)).map((x) => [x.id, x])), [s]);
  const rows = controls.restraints.reduce((n, r) => n + (r.off ? 0 : (standings.get(r.id)?.rows ?? 0)), 0);
  const picked = useMemo(() => selectedSites(s, selection), [s, selection]);
  const offers = useMemo(() => offersFor(s, picked), [s, picked]);
  const needed = useMemo(() => neededRestraints(s), [s]);
  const sorted = [...controls.restraints].sort(
    (p, q) => Math.abs(standings.get(q.id)?.worst.misfit ?? 0) - Math.abs(standings.get(p.id)?.worst.misfit ?? 0),
  );
  const pickSites = (ids: readonly string[]): void =>
    select(s.sites.flatMap((x) => (ids.includes(x.id) ? [originalRef(x.id)] : [])));
  const take = (o: Offer): void =>
    void edit(
      withControls(s, {
        restraints: [...controls.restraints, ...(o.add.restraints ?? [])],
        constraints: [...controls.constraints, ...(o.add.constraints ?? [])],
      }),
      o.name,
    );
  const change = (r: Restraint, to: Partial<Restraint> | undefined, title: string): void =>
    void edit(
      withControls(s, {
        restraints: controls.restraints.flatMap((x) =>
          x.id === r.id ? (to ? [{ ...x, ...to } as Restraint] : []) : [x],
        ),
      }),
      title,
    );
  // What the last refinement had beyond the model's own rules came with its hydrogens.
  const held = total - rows;
  const count = controls.restraints.length + controls.constraints.length + controls.occupancies.length;
  return (
    <Sheet
      title="Restraints and constraints"
      fold
      shut={!count && !selection.length}
      state={
        count
          ? `${controls.restraints.length} restraints (${rows} equations), ${controls.constraints.length} constraints, ${controls.occupancies.length} shared occupancies${held > 0 ? `; ${held} equations more hold hydrogens to their shapes` : ''}.`
          : `None of your own. ${held > 0 ? `${held} equations hold hydrogens to their shapes. ` : ''}Select atoms; what they allow is offered here.`
      }
    >
      {needed.map((o) => (
        <p key={o.name} className="mb-1">
          <button className="word" onClick={() => take(o)}>
            + {o.name}
          </button>
          <span className="soft"> {o.why}</span>
        </p>
      ))}
      {picked.length > 0 && (
        <div className="offers mb-2">
          <span className="soft">
            {picked
              .slice(0, 6)
              .map((i) => s.sites[i]!.label)
              .join(', ')}
            {picked.length > 6 ? ' …' : ''}:{' '}
          </span>
          {offers.map((o) => (
            <button key={o.name} className="word" onClick={() => take(o)}>
              {o.name}
            </button>
          ))}
          <button
            className="word"
            onClick={() =>
              void edit(
                withControls(s, {
                  occupancies: [
                    ...controls.occupancies,
                    { id: newId(), kind: 'shared', sites: picked.map((i) => s.sites[i]!.id) },
                  ],
                }),
                'one refined occupancy',
              )
            }
          >
            one refined occupancy
          </button>
        </div>
      )}
      {sorted.map((r) => {
        const st = standings.get(r.id);
        return (
          <div key={r.id} className={`restraint${r.off ? ' out' : ''}`}>
            <div>
              <button className="plain" onClick={() => pickSites(restraintSites(r))}>
                {restraintWords(r, label)}
              </button>
              {r.why && <small className="soft"> · {r.why}</small>}
            </div>
            <div className="d-flex align-items-center gap-2">
              {st && (
                <span className={`mono${!r.off && Math.abs(st.worst.misfit) > 3 ? ' off' : ''}`} title={st.worst.text}>
                  {st.rows > 1
                    ? `worst ${st.worst.misfit.toFixed(1)}, r.m.s. ${st.rms.toFixed(1)}`
                    : `now ${st.worst.value.toFixed(3)}, ${st.worst.misfit.toFixed(1)}`}{' '}
                  s.u.
                </span>
              )}
              <span className="flex-grow-1" />
              {'target' in r && (
                <NumberField
                  id={`t${r.id}`}
                  value={r.target}
                  digits={3}
                  step={0.005}
                  onChange={(v) =>
                    change(r, { target: v } as Partial<Restraint>, `target ${v} for ${restraintWords(r, label)}`)
                  }
                  commit
                />
              )}
              <label className="soft" htmlFor={`s${r.id}`}>
                s.u.
              </label>
              <NumberField
                id={`s${r.id}`}
                value={r.su}
                digits={3}
                step={0.001}
                min={0.0005}
                unit={UNITS[r.kind]}
                onChange={(v) => change(r, { su: v }, `s.u. ${v} for ${restraintWords(r, label)}`)}
                commit
              />
              <button
                className="word"
                aria-pressed={!r.off}
                onClick={() => change(r, { off: !r.off }, `${r.off ? 'on' : 'off'}: ${restraintWords(r, label)}`)}
              >
                {r.off ? 'off' : 'on'}
              </button>
              <button
                className="word off"
                aria-label={`Remove ${restraintWords(r, label)}`}
                onClick={() => change(r, undefined, `removed: ${restraintWords(r, label)}`)}
              >
                remove
              </button>
            </div>
          </div>
        );
      })}
      {controls.constraints.map((c) => (
        <div key={c.id} className="restraint">
          <div>
            <button className="plain" onClick={() => pickSites(c.sites)}>
              {constraintWords(c, label)}
            </button>
            {c.why && <small className="soft"> · {c.why}</small>}
          </div>
          <div className="d-flex">
            <span className="flex-grow-1 soft">constraint</span>
            <button
              className="word off"
              onClick={() =>
                void edit(
                  withControls(s, { constraints: controls.constraints.filter((x) => x.id !== c.id) }),
                  `removed: ${constraintWords(c, label)}`,
                )
              }
            >
              remove
            </button>
          </div>
        </div>
      ))}
      {controls.occupancies.map((o) => (
        <div key={o.id} className="restraint">
          <div>
            {o.kind === 'assembly'
              ? `occupancies of groups ${o.groups.join(', ')} of assembly ${o.assembly} share one refined number and sum to one${o.held ? ' (held)' : ''}`
              : `one refined occupancy for ${o.sites.slice(0, 5).map(label).join(', ')}${o.sites.length > 5 ? ` and ${o.sites.length - 5} more` : ''}`}
          </div>
          <div className="d-flex">
            <span className="flex-grow-1 soft">constraint</span>
            {o.kind === 'assembly' && (
              <button
                className="word"
                onClick={() =>
                  void edit(
                    withControls(s, {
                      occupancies: controls.occupancies.map((x) => (x.id === o.id ? { ...o, held: !o.held } : x)),
                    }),
                    o.held ? 'occupancies refined' : 'occupancies held',
                  )
                }
              >
                {o.held ? 'refine' : 'hold'}
              </button>
            )}
            <button
              className="word off"
              onClick={() =>
                void edit(
                  withControls(s, { occupancies: controls.occupancies.filter((x) => x.id !== o.id) }),
                  'shared occupancy removed',
                )
              }
            >
              remove
            </button>
          </div>
        </div>
      ))}
    </Sheet>
  );
}
