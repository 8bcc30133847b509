/** The ways out that findings offer, done. */
import type { NavigateFunction } from 'react-router';
import { cellInGroup } from '@nagare/core/crystal/group-cell';
import { NO_CONTROLS } from '@nagare/core/crystal/controls';
import { isHydrogen } from '@nagare/core/crystal/elements';
import { newId } from '@nagare/core/crystal/structure';
import { assembleAsymmetricUnit, bonds } from '@nagare/core/geometry/bonds';
import { mendEllipsoids } from '@nagare/core/model/ellipsoids';
import { placeHydrogens, withControls, withSites } from '@nagare/core/model/place-hydrogens';
import { invertStructure } from '@nagare/core/refine/absolute-structure';
import { usualSu } from '@nagare/core/refine/model-restraints';
import type { Remedy } from '@nagare/core/vet/check';
import { run } from '../../engine/engine.ts';
import { updateProject } from '../../store/projects.ts';
import { openState, type ProjectStore } from '../../store/project-state.ts';
import { atomsOfSites } from '../../store/selection.ts';
import { changeElement, deleteSites, setDisplacementKind, type Change } from '../refine/edits.ts';
import type { Experiment } from '@nagare/core/crystal/experiment';
import type { EditModel } from '../../store/use-project.tsx';
import { refineMark } from '../refine/refine-work.ts';

/** Goes to a station and brings one of its sheets into view, unfolded. */
export function goToSheet(navigate: NavigateFunction, projectId: string, station: string, sheet?: string): void {
  void navigate(`/projects/${projectId}/${station}`);
  if (!sheet) return;
  setTimeout(() => {
    const found = document.querySelector<HTMLElement>(`section.sheet[aria-label="${sheet}"]`);
    if (!found) return;
    const fold = found.querySelector<HTMLButtonElement>('button.fold[aria-expanded="false"]');
    fold?.click();
    found.scrollIntoView({ block: 'start' });
    (found.querySelector<HTMLElement>('button, input, select') ?? found).focus({ preventScroll: true });
  }, 120);
}

/** Does what a remedy says. Returns once the mark is made; anything that cannot be done is said as a problem. */
export async function carryOut(
  remedy: Remedy,
  store: ProjectStore,
  data: Experiment | undefined,
  navigate: NavigateFunction,
): Promise<void> {
  const { project, head, perform, setProblem, select } = openState(store);
  if (!head?.structure) return;
  const { treatment, structure: s } = head;
  const edit: EditModel = async (change, title, changed) => {
    const next = changed ? { treatment: changed, treatmentFrom: treatment } : {};
    await store.getState().edit({ title, change, from: s, ...next });
  };
  const apply = async (change: Change): Promise<void> => {
    if (typeof change === 'string') setProblem(change);
    else await edit(change.structure, change.title);
  };
  const pick = (sites: readonly number[]): void => select(atomsOfSites(s, sites));
  switch (remedy.act) {
    case 'element':
      return apply(changeElement(s, [remedy.site], remedy.element));
    case 'delete':
      return apply(deleteSites(s, remedy.sites));
    case 'anisotropic':
      return apply(setDisplacementKind(s, remedy.sites, 'aniso'));
    case 'sensible displacement':
      return edit(
        mendEllipsoids(s, remedy.sites),
        `sensible displacement for ${remedy.sites.length === 1 ? s.sites[remedy.sites[0]!]!.label : `${remedy.sites.length} sites`}`,
      );
    case 'rigid bonds': {
      // One atom alone has no bond to be rigid with: its neighbours come along.
      const near = remedy.sites.flatMap((i) => [
        i,
        ...bonds(s)
          .filter((b) => b.from === i && !isHydrogen(s.sites[b.to]!.element))
          .map((b) => b.to),
      ]);
      const sites = [...new Set(near)].map((i) => s.sites[i]!.id);
      const controls = s.controls ?? NO_CONTROLS;
      return edit(
        withControls(s, {
          restraints: [
            ...controls.restraints,
            {
              id: newId(),
              kind: 'enhanced rigid bond',
              sites,
              su: usualSu['enhanced rigid bond'],
              why: 'rigid-bond test',
            },
          ],
        }),
        `rigid bonds restrained about ${remedy.sites
          .slice(0, 3)
          .map((i) => s.sites[i]!.label)
          .join(', ')}`,
      );
    }
    case 'second place':
      pick(remedy.sites);
      return goToSheet(navigate, project.id, 'refine', 'Disorder');
    case 'place hydrogens':
    case 'turn hydrogen': {
      if (!data) {
        pick(remedy.sites);
        return goToSheet(navigate, project.id, 'refine', 'Hydrogens');
      }
      const parents = new Set(
        remedy.sites.map((i) => (isHydrogen(s.sites[i]!.element) ? (bonds(s).find((b) => b.from === i)?.to ?? i) : i)),
      );
      const without =
        remedy.act === 'turn hydrogen'
          ? bonds(s)
              .filter((b) => parents.has(b.from) && isHydrogen(s.sites[b.to]!.element))
              .map((b) => s.sites[b.to]!.id)
          : [];
      const done = await perform('Planning hydrogens', (tell) =>
        run(
          'plan',
          {
            ...data,
            without,
            ...(project.experiment.temperature ? { temperature: project.experiment.temperature } : {}),
          },
          tell,
        ),
      );
      if (!done) return;
      const ids = new Set([...parents].map((i) => s.sites[i]!.id));
      const rows = done.plan.rows.filter((r) => ids.has(r.parent) && r.shape !== 'none');
      if (!rows.length) {
        setProblem('No place was found for them. Look at the plan of hydrogens in Refine.');
        return;
      }
      const gone = new Set(without);
      const bare = gone.size
        ? withSites(
            s,
            s.sites.filter((x) => !gone.has(x.id)),
          )
        : s;
      return edit(
        placeHydrogens(bare, rows),
        `hydrogens of ${rows
          .slice(0, 4)
          .map((r) => r.label)
          .join(', ')} placed${gone.size ? ' anew' : ''}`,
      );
    }
    case 'formula':
      await updateProject(project.id, {
        experiment: {
          ...project.experiment,
          formula: Object.fromEntries(Object.entries(remedy.formula).map(([e, n]) => [e, Math.round(n * 1000) / 1000])),
          z: remedy.z,
        },
      });
      return;
    case 'exclude':
      return edit(s, `${remedy.reflections.length} reflections left out: ${remedy.reason}`, {
        ...treatment,
        excluded: [
          ...(treatment.excluded ?? []),
          ...remedy.reflections.map(([h, k, l]) => ({ h, k, l, reason: remedy.reason })),
        ],
      });
    case 'refine':
      return refineMark(store, { cycles: 20 });
    case 'settle':
      return goToSheet(navigate, project.id, 'refine', 'Settle');
    case 'invert':
      return edit(invertStructure(s), 'inverted');
    case 'cell':
      return edit({ ...s, cell: cellInGroup(s.cell, s.spaceGroup) }, 'cell as the group asks for it');
    case 'connect':
      return edit(assembleAsymmetricUnit(s), 'asymmetric unit connected, its centre in the cell');
    case 'extinction':
      return refineMark(store, { cycles: 20, treatment: { ...treatment, extinction: !treatment.extinction } });
    case 'go':
      return goToSheet(navigate, project.id, remedy.station, remedy.sheet);
  }
}
