/** The hydrogens that are placed, and how each is held. */
import { originalRef } from '@nagare/core/crystal/atom-ref';
import { useMemo, useState, type ReactNode } from 'react';
import type { Hold, HydrogenGroup } from '@nagare/core/crystal/controls';
import { holdHydrogens, withControls, withSites } from '@nagare/core/model/place-hydrogens';
import { PickRow } from '../../frame/parts.tsx';
import { useProject, useEdit } from '../../store/use-project.tsx';
import { Turner } from './Turner.tsx';

export const HOLDS: Hold[] = ['riding', 'rotating', 'restrained', 'free'];

/** What is placed: how each group is held, changed in place; a selected group is turned by hand. */
export function Placed({ labels, onAgain }: { labels: Map<string, string>; onAgain(ids: string[]): void }): ReactNode {
  const { head, select, result } = useProject('head', 'select', 'result');
  const edit = useEdit();
  const s = head!.structure!;
  const groups = s.controls!.hydrogens;
  const [open, setOpen] = useState<string | undefined>();
  const index = useMemo(() => new Map(s.sites.map((x, i) => [x.id, i])), [s]);
  const group = groups.find((g) => g.id === open);
  const takeOff = (g: HydrogenGroup): void => {
    const gone = new Set(g.hydrogens);
    const left = withControls(s, { hydrogens: groups.filter((x) => x.id !== g.id) });
    void edit(
      withSites(
        left,
        s.sites.filter((x) => !gone.has(x.id)),
      ),
      `hydrogens taken off ${labels.get(g.parent)}`,
    );
  };
  return (
    <>
      <details>
        <summary>How each is held</summary>
        <table className="plan">
          <thead>
            <tr>
              <th>on</th>
              <th>shape</th>
              <th>held</th>
              <th>U(H)</th>
              <td></td>
            </tr>
          </thead>
          <tbody>
            {groups.map((g) => (
              <PickRow
                key={g.id}
                chosen={open === g.id}
                opens
                onPick={() => {
                  setOpen(open === g.id ? undefined : g.id);
                  select(g.hydrogens.filter((h) => index.has(h)).map(originalRef));
                }}
              >
                <td>{labels.get(g.parent)}</td>
                <td>
                  {g.hydrogens.length} × {g.shape}
                </td>
                <td>
                  <select
                    aria-label={`Hydrogens of ${labels.get(g.parent)} held`}
                    className="inline"
                    value={g.hold}
                    onClick={(e) => e.stopPropagation()}
                    onChange={(e) =>
                      void edit(
                        holdHydrogens(s, [g.id], { hold: e.target.value as Hold }),
                        `hydrogens of ${labels.get(g.parent)} ${e.target.value}`,
                      )
                    }
                  >
                    {HOLDS.map((h) => (
                      <option key={h}>{h}</option>
                    ))}
                  </select>
                </td>
                <td>
                  <select
                    aria-label={`U of the hydrogens of ${labels.get(g.parent)}`}
                    className="inline"
                    value={String(g.uFactor)}
                    onClick={(e) => e.stopPropagation()}
                    onChange={(e) =>
                      void edit(
                        holdHydrogens(s, [g.id], { uFactor: Number(e.target.value) }),
                        `U of the hydrogens of ${labels.get(g.parent)} ${Number(e.target.value) ? `${e.target.value} × U of the parent` : 'refined'}`,
                      )
                    }
                  >
                    <option value="1.2">1.2 ×</option>
                    <option value="1.5">1.5 ×</option>
                    <option value="0">free</option>
                  </select>
                </td>
                <td>
                  <button
                    className="word off"
                    aria-label={`Take the hydrogens off ${labels.get(g.parent)}`}
                    onClick={(e) => {
                      e.stopPropagation();
                      takeOff(g);
                    }}
                  >
                    take off
                  </button>
                </td>
              </PickRow>
            ))}
          </tbody>
        </table>
      </details>
      {group && <Turner key={group.id} groupId={group.id} map={result?.map} />}
      <div className="mt-1">
        <button
          className="word"
          onClick={() =>
            onAgain(
              groups
                .filter((g) => ['hydroxyl', 'water', 'ammonium', 'methyl', 'pyramidal NH2'].includes(g.shape))
                .flatMap((g) => [...g.hydrogens]),
            )
          }
        >
          Plan those that turn again
        </button>
        <button
          className="word off"
          onClick={() =>
            void edit(
              withSites(
                withControls(s, { hydrogens: [] }),
                s.sites.filter((x) => x.element !== 'H'),
              ),
              'all hydrogens removed',
            )
          }
        >
          Remove all
        </button>
      </div>
    </>
  );
}
