/** Empty space, the shape of a crystal, and two crystals compared. */
import { attachmentShape } from '@nagare/core/contacts/attachment';
import { compareCrystals } from '@nagare/core/contacts/compare-packing';
import { cellVolume } from '@nagare/core/crystal/cell';
import { bonded } from '@nagare/core/geometry/bonding-proposal';
import { reciprocalLayer } from '@nagare/core/powder/expected';
import { crystalShape } from '@nagare/core/space/crystal-shape';
import { formsOf, habitOf } from '@nagare/core/space/forms';
import { voidNetwork } from '@nagare/core/space/network';
import { voidCurve, voidMap } from '@nagare/core/space/voids';
import { compareFrameworks } from '@nagare/core/symmetry/compare-frameworks';
import { porousFramework, tunnelOxide } from '../../demo/src/structures.ts';
import { testCrystal } from '../../demo/src/test-crystals.ts';

type Time = (f: () => unknown, times?: number) => Promise<number>;
type Say = (what: string, ms: number, reference: string, base: number) => void;

export async function spaceLines(time: Time, say: Say): Promise<void> {
  const framework = porousFramework();
  const oxide = tunnelOxide();
  const shape = (): unknown => {
    const faces = crystalShape(oxide);
    return [formsOf(oxide, faces), habitOf(oxide, faces)];
  };
  const against = 'the expected shape of an oxide';
  const base = await time(shape, 5);
  say(against, base, against, base);
  const size = `${Math.round(cellVolume(framework.cell))} Å³`;
  say(
    `void map of ${size} at 0.2 Å`,
    await time(() => voidMap(framework, { probe: 1.2, step: 0.2 }), 1),
    against,
    base,
  );
  say(`curve of 30 radii of ${size}`, await time(() => voidCurve(framework), 2), against, base);
  say(`free ways of ${size}`, await time(() => voidNetwork(framework, { probe: 1.2 }), 1), against, base);
  const crystal = bonded(testCrystal('CC(=O)Nc1ccc(O)cc1', 'P 21/c', 3).structure);
  say('shape by attachment energies', await time(() => attachmentShape(crystal), 2), against, base);
  const layer = { axis: 2 as const, level: 0, dMin: 0.7, wavelength: 0.71 };
  say('a layer of the reciprocal lattice', await time(() => reciprocalLayer(crystal, layer), 3), against, base);
  say('two frameworks compared', await time(() => compareFrameworks(oxide, oxide), 2), against, base);
  say('void map of a dense oxide', await time(() => voidMap(oxide, { probe: 0.5 }), 2), against, base);
  const [one, two] = [3, 43].map((seed) => bonded(testCrystal('CC(=O)Nc1ccc(O)cc1', 'P 21/c', seed).structure));
  say('clusters of fifteen molecules compared', await time(() => compareCrystals(one!, two!), 2), against, base);
}
