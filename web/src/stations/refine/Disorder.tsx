/** Disorder: second places by machine and by hand, assemblies and groups in words, ellipsoids that cannot be. */
import { useMemo, useState, type ReactNode } from 'react';
import { Button } from 'react-bootstrap';
import { isHydrogen } from '@nagare/core/crystal/elements';
import { formatMeasured } from '@nagare/core/crystal/uncertainty';
import { addPlace, assemblies, nextAssembly, setGroup } from '@nagare/core/model/disorder';
import { judgeEllipsoids, mendEllipsoids, splitAlong } from '@nagare/core/model/ellipsoids';
import { fragmentOf } from '@nagare/core/model/second-place';
import { Sheet } from '../../frame/parts.tsx';
import { atomsOfSites, selectedSites } from '../../store/selection.ts';
import { useEdit, useProject } from '../../store/use-project.tsx';
import { Assemblies } from './Assemblies.tsx';
import { groupWords } from './group-words.ts';
import { SecondPlaceProposals } from './SecondPlace.tsx';
import { useExperiment } from './use-experiment.ts';
import { useSecondPlace } from './use-second-place.ts';

export function DisorderSheet(): ReactNode {
  const { head, work, selection, select } = useProject('head', 'work', 'selection', 'select');
  const edit = useEdit();
  const input = useExperiment();
  const s = head!.structure!;
  const list = useMemo(() => assemblies(s), [s]);
  const ellipsoids = useMemo(() => judgeEllipsoids(s), [s]);
  const [turnBonds, setTurnBonds] = useState(true);
  const place = useSecondPlace();
  const now = place.laying;
  const picked = selectedSites(s, selection).filter((i) => s.sites[i] && !isHydrogen(s.sites[i]!.element));
  const impossible = ellipsoids.filter((e) => e.kind === 'impossible');

  return (
    <Sheet
      title="Disorder"
      fold
      shut={!list.length && !picked.length && !impossible.length}
      state={
        list.length
          ? list
              .map(
                (a) =>
                  `${a.assembly}: ${a.groups.map((g) => `${groupWords(g.group)} at ${formatMeasured(100 * g.occupancy, 100 * g.su, 1)} %`).join(', ')}`,
              )
              .join('; ')
          : impossible.length
            ? `${impossible.length} impossible ${impossible.length === 1 ? 'ellipsoid' : 'ellipsoids'}.`
            : 'Every atom has one place.'
      }
      action={
        input && !now ? (
          <Button
            size="sm"
            variant="outline-primary"
            disabled={!picked.length || !!work}
            title={picked.length ? '' : 'Select the atoms that lie two ways first'}
            onClick={() => void place.begin(picked, turnBonds)}
          >
            Second place{picked.length ? ` for ${picked.length} ${picked.length === 1 ? 'atom' : 'atoms'}` : ''}
          </Button>
        ) : undefined
      }
    >
      {!now && picked.length > 5 && (
        <label className="soft d-flex gap-1 mb-1">
          <input type="checkbox" checked={turnBonds} onChange={(e) => setTurnBonds(e.target.checked)} /> bonds inside
          the selection may turn
        </label>
      )}
      {!picked.length && !now && (
        <p className="soft mb-1">
          Select atoms in the scene or the table (a ring, an anion, a whole molecule) to lay out where else they are.
        </p>
      )}
      {now && <SecondPlaceProposals place={place} laying={now} />}
      <Assemblies list={list} />
      {picked.length > 0 && !now && (
        <div className="mt-1">
          <button
            className="word"
            onClick={() => {
              const a = nextAssembly(s);
              void edit(
                setGroup(s, selectedSites(s, selection), a, '-1'),
                `${picked.length} atoms disordered about a symmetry element`,
              );
            }}
          >
            Disordered about a symmetry element
          </button>
          {list.map((a) =>
            a.groups.map((g) => (
              <button
                key={a.assembly + g.group}
                className="word"
                onClick={() =>
                  void edit(
                    setGroup(s, selectedSites(s, selection), a.assembly, g.group),
                    `${picked.length} atoms to group ${g.group} of ${a.assembly}`,
                  )
                }
              >
                into {a.assembly}.{g.group}
              </button>
            )),
          )}
          {picked.some((i) => s.sites[i]!.disorder) && (
            <button
              className="word"
              onClick={() =>
                void edit(setGroup(s, selectedSites(s, selection), '', ''), 'taken out of their disorder group')
              }
            >
              out of its group
            </button>
          )}
          {picked.length === 1 && s.sites[picked[0]!]!.displacement.kind === 'aniso' && (
            <button
              className="word"
              onClick={() => {
                const [p, q] = splitAlong(s, picked[0]!);
                const first = { ...s, sites: s.sites.map((x, i) => (i === picked[0] ? { ...x, position: p } : x)) };
                const fragment = fragmentOf(first, picked);
                void edit(
                  addPlace(first, {
                    sites: fragment.sites,
                    positions: fragment.sites.map((i) => (i === picked[0] ? q : first.sites[i]!.position)),
                    occupancy: 0.5,
                  }),
                  `${s.sites[picked[0]!]!.label} split along its long axis`,
                );
              }}
            >
              Split along its long axis
            </button>
          )}
        </div>
      )}
      {ellipsoids.length > 0 && (
        <details open={impossible.length > 0}>
          <summary>{ellipsoids.length} conspicuous ellipsoids</summary>
          {ellipsoids.slice(0, 8).map((e) => (
            <p key={e.site + e.kind} className="mb-1">
              <button className="word" onClick={() => select(atomsOfSites(s, [e.site]))}>
                {s.sites[e.site]!.label}
              </button>{' '}
              {e.text.replace(/^[^\s:]+:? /, '')}
            </p>
          ))}
          {impossible.length > 0 && (
            <button
              className="word"
              onClick={() =>
                void edit(
                  mendEllipsoids(
                    s,
                    impossible.map((e) => e.site),
                  ),
                  `restraints for impossible ellipsoids of ${impossible.map((e) => s.sites[e.site]!.label).join(', ')}`,
                )
              }
            >
              Start them again, held nearly isotropic
            </button>
          )}
        </details>
      )}
    </Sheet>
  );
}
