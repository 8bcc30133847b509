/** What Relate takes: contacts of a large cell by five definitions, wishes and their fields, energies of a shell. */
import { readFileSync } from 'node:fs';
import { SHIPPED } from '@nagare/core/contacts/definition';
import { EnergySearch } from '@nagare/core/contacts/energies';
import { SurfaceSearch } from '@nagare/core/contacts/molecule-surface';
import { ContactSearch } from '@nagare/core/contacts/find-contacts';
import { WishSearch } from '@nagare/core/contacts/wishes';
import { multiples, supercell } from '@nagare/core/build/supercell';
import { wholeCell } from '@nagare/core/build/whole-cell';
import { recognise } from '@nagare/core/formats/recognise';
import type { Structure } from '@nagare/core/crystal/structure';
import { bonded } from '@nagare/core/geometry/bonding-proposal';

type Time = (f: () => unknown, times?: number) => Promise<number>;
type Say = (what: string, ms: number, reference: string, base: number) => void;

function structureIn(file: string): Structure {
  const path = new URL(`../../demo/data/${file}`, import.meta.url);
  const found = recognise(readFileSync(path, 'utf8'), file).find((x) => x.structure);
  if (!found?.structure) throw new Error(`${file} holds no structure.`);
  return found.structure;
}

const fresh = (s: Structure): Structure => bonded({ ...s, sites: [...s.sites] });

export async function contactLines(time: Time, say: Say): Promise<void> {
  const dye = structureIn('ukonzome-1.cif');
  const cell = wholeCell(dye);
  const times = Math.ceil(1000 / cell.sites.length);
  const large = supercell(dye, multiples(times, 1, 1)).structure;
  const copy = await time(() => JSON.parse(JSON.stringify(large)) as unknown, 10);
  const against = 'copying that cell through JSON';
  const five = SHIPPED.slice(0, 5);
  say(
    `contacts of ${large.sites.length} sites by five definitions`,
    await time(() => {
      const search = new ContactSearch(fresh(large));
      return five.map((d) => search.find(d).length);
    }, 3),
    against,
    copy,
  );
  const search = new ContactSearch(fresh(large));
  say('one definition changed', await time(() => search.find({ ...five[0]!, leastAngle: 100 }), 3), against, copy);
  const probes = ['donor', 'acceptor', 'aromatic', 'bromine'] as const;
  say(
    `fields of ${dye.sites.length} atoms, four probes, 0.27 Å`,
    await time(() => new WishSearch(fresh(dye), { probes }).grids(0.27), 3),
    against,
    copy,
  );
  say(
    'their hot spots and what is granted',
    await time(() => new WishSearch(fresh(dye), { probes }).all(), 3),
    against,
    copy,
  );
  say(
    'the surface of that molecule',
    await time(() => new SurfaceSearch(fresh(dye)).of(0, 'density'), 2),
    against,
    copy,
  );
  const cage = structureIn('temari.cif');
  const atoms = new EnergySearch(fresh(cage)).crystal.molecules[0]!.atoms.length;
  say(
    `energies of a molecule of ${atoms} atoms and its lattice`,
    await time(() => new EnergySearch(fresh(cage)).all(), 2),
    against,
    copy,
  );
}
