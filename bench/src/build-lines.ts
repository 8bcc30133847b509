/** What Build takes: a framework typed from its symmetry, every low plane searched, a large supercell. */
import { buildAndJudge, holdings } from '@nagare/core/build/from-symmetry';
import { readSiteTable } from '@nagare/core/build/site-table';
import { orderedModels } from '@nagare/core/build/arrangements';
import { commonCells } from '@nagare/core/build/stack';
import { splitSite } from '@nagare/core/build/edit-sites';
import { multiples, namedCell, supercell } from '@nagare/core/build/supercell';
import { Surface } from '@nagare/core/build/surface';
import { findPores } from '@nagare/core/space/pores';
import { shippedShelf } from '@nagare/core/shelf/entry';
import type { Vec3 } from '@nagare/core/math/matrix3';

/** A porous net of seven sites and 400 atoms in the cell, made up: four-connected silicon and oxygen. */
const FRAMEWORK = `Si1 0.125 0.125 0.05
Si2 0.0536 0.1250 0.3036
O1 0 0.1063 0.8937
O2 0.9966 0.9966 0.1434
O3 0.1794 0.1794 0.9655
O4 0.1746 0.1746 0.3206
Na1 0 0 0`;

type Time = (f: () => unknown, times?: number) => Promise<number>;
type Say = (what: string, ms: number, reference: string, base: number) => void;

const lowPlanes = (): Vec3[] => {
  const out: Vec3[] = [];
  for (let h = -3; h <= 3; h++)
    for (let k = -3; k <= 3; k++) for (let l = -3; l <= 3; l++) if (h || k || l) out.push([h, k, l]);
  return out;
};

export async function buildLines(time: Time, say: Say): Promise<void> {
  const { sites } = readSiteTable(FRAMEWORK);
  const typed = sites.map((r) => r.site);
  const [best] = buildAndJudge('F d -3 m', [24.3], typed);
  const copy = await time(() => JSON.parse(JSON.stringify(best!.structure)) as unknown, 20);
  const against = 'copying the structure through JSON';
  say(
    'a framework of seven sites, both origins judged',
    await time(() => buildAndJudge('F d -3 m', [24.3], typed).map((j) => holdings(j.structure)), 5),
    against,
    copy,
  );
  const rutile = shippedShelf().find((e) => e.id === 'rutile')!.structure;
  const planes = lowPlanes();
  say(
    `every way to cut along ${planes.length} planes of rutile`,
    await time(() => planes.map((p) => new Surface({ ...rutile }, p).terminations.length), 2),
    against,
    copy,
  );
  const large = supercell(rutile, multiples(12, 12, 12)).structure;
  say(
    `supercell of ${large.sites.length} atoms`,
    await time(() => supercell({ ...rutile }, multiples(12, 12, 12)), 5),
    'copying it through JSON',
    await time(() => JSON.parse(JSON.stringify(large)) as unknown, 3),
  );
  await searches(time, say);
}

/** What is looked for before something is built. */
async function searches(time: Time, say: Say): Promise<void> {
  const entry = (id: string) => shippedShelf().find((e) => e.id === id)!.structure;
  const framework = buildAndJudge(
    'F d -3 m',
    [24.3],
    readSiteTable(FRAMEWORK).sites.map((r) => r.site),
  )[0]!.structure;
  const copy = await time(() => JSON.parse(JSON.stringify(framework)) as unknown, 20);
  const against = 'copying the framework through JSON';
  say('empty space of that framework', await time(() => findPores({ ...framework }), 1), against, copy);
  const graphite = entry('graphite');
  say(
    'common cells of two layers, any twist, up to 160 atoms',
    await time(() => commonCells(graphite, graphite, { mostAtoms: 160, mostStrain: 0.001 }), 1),
    against,
    copy,
  );
  const spinel = namedCell(entry('spinel'), 'primitive').structure;
  const aluminium = spinel.sites.find((x) => x.element === 'Al')!;
  const shared = splitSite(spinel, aluminium.id, 'Fe', 0.5).structure;
  say(
    'ordered models of a spinel, eight places, ranked by their charges',
    await time(() => orderedModels(shared, [1, 1, 0, 0, 1, 0, 0, 0, 1]), 1),
    against,
    copy,
  );
}
