/** A crystal of ions goes from its intensities to a settled framework, seen as what it is, by the keyboard. */
import { expect, test } from '@playwright/test';
import { cellContents } from '@nagare/core/crystal/structure';
import { formulaText, scaleFormula } from '@nagare/core/crystal/formula';
import { seededRandom } from '@nagare/core/math/random';
import { shippedShelf } from '@nagare/core/shelf/entry';
import { measure } from '../demo/src/simulate.ts';
import { watchForErrors } from './support.ts';

watchForErrors();

const WAVELENGTH = 0.71075;

/** Intensities of a structure of the shelf, as a CIF with its cell and formula, but not its group. */
function measuredCif(id: string, z: number): string {
  const { structure } = shippedShelf().find((e) => e.id === id)!;
  const raw = measure(
    structure,
    { dMin: 0.65, wavelength: WAVELENGTH, coverage: 0.97, repeats: 2, meanCounts: 500, systematic: 0.02, outliers: 0 },
    seededRandom(77),
  );
  const { a, b, c, alpha, beta, gamma } = structure.cell;
  const rows = Array.from(
    { length: raw.count },
    (_, i) =>
      `${raw.h[i]} ${raw.k[i]} ${raw.l[i]} ${raw.intensity[i]!.toFixed(2)} ${Math.max(0.01, raw.sigma[i]!).toFixed(2)}`,
  );
  return [
    `data_${id}`,
    ...Object.entries({
      length_a: a,
      length_b: b,
      length_c: c,
      angle_alpha: alpha,
      angle_beta: beta,
      angle_gamma: gamma,
    }).map(([name, value]) => `_cell_${name} ${value}`),
    `_diffrn_radiation_wavelength ${WAVELENGTH}`,
    `_chemical_formula_sum '${formulaText(scaleFormula(cellContents(structure), 1 / z))}'`,
    'loop_',
    ...['index_h', 'index_k', 'index_l', 'intensity_net', 'intensity_u'].map((x) => `_diffrn_refln_${x}`),
    ...rows,
    '',
  ].join('\n');
}

test('a spinel is solved in its group, seen as its cell and settled', { tag: '@long' }, async ({ page }) => {
  await page.goto('/');
  await page
    .getByTestId('file-picker')
    .setInputFiles([{ name: 'spinel.cif', mimeType: 'chemical/x-cif', buffer: Buffer.from(measuredCif('spinel', 8)) }]);
  await page.getByRole('button', { name: 'Take it in' }).click();
  await expect(page.getByText('8 formula units fill')).toBeVisible();
  await page.getByRole('button', { name: 'Go on to Solve' }).press('Enter');
  await page.getByRole('button', { name: 'Solve', exact: true }).press('Enter');
  const take = page.getByRole('button', { name: 'Take it to Refine' });
  await expect(take).toBeFocused({ timeout: 60_000 });
  await expect(page.locator('.candidate').first()).toContainText(
    /F d −3 m, seed 1\s*R1 0\.\d %, contents 100 %\s*Al2 Mg O4/,
  );
  await expect(page.getByText('The cell holds 56 atoms; 72 are drawn')).toBeVisible();
  await take.press('Enter');
  await page.getByRole('button', { name: 'Settle', exact: true }).press('Enter');
  await expect(page.getByText('Weights and convergence').first()).toBeVisible({ timeout: 60_000 });
  await expect(page.locator('.gauge', { hasText: 'R1' }).first()).toContainText(/0\.\d\d %/);
  await expect(page.getByText('too few for anisotropic')).toHaveCount(0);

  // Another extent, once chosen, stays.
  const part = page.getByLabel('Part of the crystal that is drawn');
  await part.selectOption({ label: 'Unique part' });
  await page.reload();
  await expect(page.getByText('The cell holds 56 atoms; 3 are drawn')).toBeVisible();
});
