/** Takes the pictures of docs/screenshots from the demo data: `npm run screenshots` while `npm start` runs. */
import { openSamples } from './support.ts';
import { chromium } from '@playwright/test';

const base = process.env['NAGARE'] ?? 'http://127.0.0.1:4620';
const folder = new URL('../docs/screenshots/', import.meta.url).pathname;
const browser = await chromium.launch({
  executablePath: process.env['CHROMIUM'] ?? '/usr/bin/chromium',
  args: [
    '--no-sandbox',
    '--disable-background-networking',
    '--disable-component-update',
    '--disable-sync',
    '--no-first-run',
    '--use-gl=angle',
    '--use-angle=swiftshader',
    '--enable-unsafe-swiftshader',
  ],
});
const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
const shot = async (name: string, wait = 900): Promise<void> => {
  await page.waitForTimeout(wait);
  await page.screenshot({ path: `${folder}${name}.png` });
};
/** Home with its samples unfolded. */
async function home(): Promise<void> {
  await page.goto(base);
  await openSamples(page);
}
await home();
await page.getByRole('button', { name: 'Aobae' }).click();
await page.getByRole('button', { name: 'Take it in' }).click();
await page.getByRole('button', { name: 'Go on to Solve' }).waitFor({ timeout: 60_000 });
await shot('intake');
await page.getByRole('button', { name: 'Go on to Solve' }).click();
await page.getByRole('button', { name: 'Solve', exact: true }).click();
await page.getByRole('button', { name: 'Take it to Refine' }).waitFor({ timeout: 120_000 });
await shot('solve', 2000);
await page.getByRole('button', { name: 'Take it to Refine' }).click();
await page.getByRole('button', { name: 'Refine', exact: true }).click();
await page.getByText('Settled after').first().waitFor({ timeout: 120_000 });
const hydrogens = page.getByRole('region', { name: 'Hydrogens' });
await hydrogens.getByRole('button', { name: 'Make a plan' }).click();
await hydrogens.getByText('a sure one shows').waitFor({ timeout: 60_000 });
await hydrogens.locator('tr', { hasText: 'hydroxyl' }).first().getByText('hydroxyl').click();
await hydrogens.getByRole('heading').scrollIntoViewIfNeeded();
await page.locator('.desk').evaluate((d) => {
  d.scrollTop = (d.querySelector('section[aria-label="Hydrogens"]') as HTMLElement).offsetTop - 8;
});
await shot('hydrogens', 2000);
await hydrogens.getByRole('button', { name: 'Leave the plan' }).click();
await page.locator('.desk').evaluate((d) => {
  d.scrollTop = 0;
});
await page.getByRole('button', { name: 'Settle', exact: true }).click();
await page.getByText('Weights and convergence').first().waitFor({ timeout: 120_000 });
await page.getByRole('button', { name: 'Settle', exact: true }).waitFor({ timeout: 60_000 });
await page.getByRole('application').focus();
await page.keyboard.press('Escape');
await page.keyboard.press('f');
await page.keyboard.press('n');
await page.keyboard.press('Shift+N');
await shot('refine', 2000);
await page.getByRole('button', { name: 'Clear' }).click();
await page.getByRole('link', { name: /Publish/ }).click();
await page.getByRole('button', { name: 'Tables', exact: true }).click();
await shot('publish', 2500);
await page.getByRole('button', { name: 'CIF as text' }).click();
await shot('cif', 3500);
await page.getByRole('group', { name: 'Middle of the window' }).getByRole('button', { name: 'Crystal' }).click();
await page.getByRole('link', { name: /Refine/ }).click();
await page.getByLabel('Part of the crystal that is drawn').selectOption('packed cell');
await page.locator('.scene-tools').getByRole('button', { name: 'Residual density' }).click();
await page.getByRole('button', { name: 'a', exact: true }).click();
await page.getByLabel('Part of the crystal that is drawn').selectOption('unique');
await page.locator('.scene-tools').getByRole('button', { name: 'Residual density' }).click();

await home();
await page.getByRole('button', { name: 'Kasumi' }).click();
await page.getByRole('button', { name: 'Take it in' }).click();
await page.getByRole('button', { name: 'Go on to Solve' }).click({ timeout: 60_000 });
await page.getByRole('button', { name: 'Solve', exact: true }).click();
await page.getByRole('button', { name: 'Take it to Refine' }).click({ timeout: 200_000 });
const settle = async (): Promise<void> => {
  await page.getByRole('button', { name: 'Settle', exact: true }).click();
  await page.getByRole('region', { name: 'Settle' }).getByRole('button', { name: 'Stop' }).waitFor();
  await page.getByRole('button', { name: 'Settle', exact: true }).waitFor({ timeout: 120_000 });
};
await settle();
await page.getByRole('listbox', { name: 'Marks' }).getByRole('option').nth(1).focus();
await page.keyboard.press('Enter');
await page.waitForTimeout(800);
await page.keyboard.press('Control+k');
await page.getByRole('textbox', { name: 'Find' }).fill('all');
await page.keyboard.press('Enter');
await page.getByRole('button', { name: /Second place for/ }).click();
await page.getByText('on density, score').waitFor({ timeout: 60_000 });
await page.locator('.desk').evaluate((d) => {
  d.scrollTop = (d.querySelector('section[aria-label="Disorder"]') as HTMLElement).offsetTop - 8;
});
await shot('disorder', 2500);
await page.getByRole('button', { name: 'Use this place' }).click();
await page.getByText('Assembly A', { exact: true }).waitFor();
await settle();
await page
  .getByRole('button', { name: 'Clear' })
  .click()
  .catch(() => undefined);
await page.locator('.desk').evaluate((d) => {
  d.scrollTop = (d.querySelector('section[aria-label="Disorder"]') as HTMLElement).offsetTop - 8;
});
await page.getByRole('button', { name: 'Fit', exact: true }).click();
await page.keyboard.press('Control+k');
await page.getByRole('textbox', { name: 'Find' }).fill('group 1');
await page.keyboard.press('Enter');
await page.locator('.desk').evaluate((d) => {
  d.scrollTop = (d.querySelector('section[aria-label="Residual density"]') as HTMLElement).offsetTop - 8;
});
await page.getByRole('button', { name: '2Fo − Fc', exact: true }).click();
await page.getByRole('button', { name: 'Section', exact: true }).click();
const openModel = async (name: string): Promise<void> => {
  await home();
  await page.getByRole('button', { name }).click();
  await page.getByRole('button', { name: 'Take it in' }).click();
  await page.locator('.mark-info', { hasText: 'R1' }).waitFor({ timeout: 60_000 });
};
await openModel('Hanada-3');
await page.getByRole('link', { name: 'Symmetry' }).click();
await page.getByText('Missed: the model has').waitFor({ timeout: 60_000 });
await shot('symmetry', 2000);
await page.getByRole('button', { name: 'Move to P n m a and refine' }).click();
await page.locator('.mark-info b', { hasText: 'refined in' }).waitFor({ timeout: 120_000 });
await page.getByRole('button', { name: 'End the comparison' }).click();
await page.getByRole('button', { name: 'Page of the space group' }).click();
await shot('group', 2500);
await home();
await page.getByRole('button', { name: 'Kirara-3' }).click();
await page.getByRole('button', { name: 'Take it in' }).click();
const centres = page.getByRole('region', { name: 'Coordination' });
await centres.locator('tr.pick').first().waitFor({ timeout: 60_000 });
await page.keyboard.press('Control+k');
await page.getByRole('textbox', { name: 'Find' }).fill('Mg1');
await page.keyboard.press('Enter');
await page.getByRole('button', { name: 'Only this layer' }).click();
await page.getByRole('button', { name: 'Draw Mg, Si, Al' }).click();
await page.getByRole('button', { name: 'Bonds', exact: true }).click();
await page.getByRole('region', { name: 'Views' }).getByRole('button', { name: 'Views', exact: true }).click();
await page.getByLabel('Perspective').check();
await page.locator('#depth-cue').fill('0.5');
for (const title of ['About the vertical', 'About the vertical', 'About the horizontal', 'About the horizontal']) {
  await page.getByTitle(title).last().click();
  await page.waitForTimeout(500);
}
await page.getByRole('button', { name: 'Clear' }).click();
await page.getByRole('button', { name: 'Views', exact: true }).click();
await page.getByRole('button', { name: 'Fit', exact: true }).click();
await page.locator('.desk').evaluate((e) => e.scrollTo(0, 0));
await shot('relate', 2500);
await home();
await page.getByRole('button', { name: 'Ukonzome-1' }).click();
await page.getByRole('button', { name: 'Take it in' }).click();
const wishes = page.getByRole('region', { name: 'Wishes' });
await wishes.getByRole('button', { name: 'Ask the molecule' }).click();
await wishes.getByText(/% of its wishes/).waitFor({ timeout: 60_000 });
await wishes.evaluate((e) => e.scrollIntoView());
await wishes.locator('tr', { hasText: 'granted' }).first().click();
await page.getByRole('button', { name: 'Fit', exact: true }).click();
await shot('wishes', 6000);
await home();
await page.getByRole('button', { name: 'Nibiiro' }).click();
await page.getByRole('button', { name: 'Take it in' }).click();
await page.getByRole('link', { name: /Build/ }).click();
for (const index of 'hk') {
  await page.getByLabel(`Index ${index} of the plane`).fill('1');
  await page.keyboard.press('Enter');
}
await page.getByRole('button', { name: 'Look at the slab' }).click();
await page.getByText(/atoms a layer/).waitFor();
await page.locator('.cut img').last().waitFor();
await page.getByRole('region', { name: 'Surface', exact: true }).evaluate((e) => e.scrollIntoView());
await shot('build', 2500);
await openModel('Suou-5');
await page.getByRole('link', { name: /Refine/ }).click();
await page.getByRole('button', { name: 'Refine', exact: true }).click();
await page.locator('.work').waitFor();
await page.locator('.work').waitFor({ state: 'detached', timeout: 120_000 });
await page.getByRole('link', { name: /Vet/ }).click();
await page.locator('.findings .line', { hasText: 'O9 looks lighter' }).click();
await shot('vet', 2500);
await home();
await page.getByRole('button', { name: 'Enju-6' }).click();
await page.getByRole('button', { name: 'Take it in' }).click();
const scaling = page.getByRole('region', { name: 'Scale and absorption' });
await scaling.getByRole('button', { name: 'Correct the data' }).click({ timeout: 60_000 });
await scaling.getByText('4 spoils the merge').waitFor({ timeout: 60_000 });
await page.getByRole('button', { name: 'Reciprocal lattice' }).click();
await scaling.evaluate((e) => e.scrollIntoView());
await shot('reciprocal', 2000);
await home();
await page.getByRole('button', { name: 'Tunnels of Hachisu' }).click();
const figure = page.getByTestId('figure-page');
await figure.waitFor();
await page.getByTestId('figure-counts').getByText('polyhedra drawn').waitFor({ timeout: 30_000 });
const channels = page.getByRole('region', { name: 'Channels, cages and rings' });
await channels.getByRole('button', { name: 'Channels, cages and rings' }).click();
await channels.getByRole('table', { name: 'Channels' }).locator('tbody tr').first().click({ timeout: 30_000 });
await page.locator('.desk').evaluate((d) => {
  d.scrollTop = (d.querySelector('section[aria-label="Rules"]') as HTMLElement).offsetTop - 8;
});
await shot('depict', 3000);
// Powders.
const openPowder = async (name: RegExp): Promise<void> => {
  await home();
  await page.getByRole('button', { name }).click();
  await page.getByRole('button', { name: /Take (it|them) in/ }).click();
  await page.getByRole('button', { name: 'Go on to Fit' }).click();
  await page.getByTestId('pattern').waitFor();
};
const fitted = async (): Promise<void> => {
  await page.locator('.mark-info').getByText('fitted').waitFor({ timeout: 120_000 });
  await page.locator('.work').waitFor({ state: 'detached', timeout: 60_000 });
};
await openPowder(/^Frit 12/);
await page.getByRole('button', { name: 'Add from the shelf' }).click();
const shelf = page.getByRole('dialog', { name: 'Shelf of reference structures' });
await shelf.getByLabel('all of').fill('Sn O');
await shelf.locator('li button', { hasText: 'Yamabuki' }).click();
await shelf.getByRole('button', { name: 'Take Yamabuki' }).click();
await page.locator('.mark-info b', { hasText: 'Yamabuki taken' }).waitFor();
await shelf.getByLabel('all of').fill('Co Al Zn');
await shelf.locator('li button', { hasText: 'Kurobane blue' }).click();
await shelf.getByRole('button', { name: 'Take Kurobane blue' }).click();
await page.locator('.mark-info b', { hasText: 'Kurobane blue taken' }).waitFor();
await shelf.getByRole('button', { name: 'Close' }).click();
await page.getByRole('button', { name: 'Run', exact: true }).click();
await fitted();
await page.locator('.desk').evaluate((d) => {
  d.scrollTop = (d.querySelector('section[aria-label="Results"]') as HTMLElement).offsetTop - 8;
});
await page.getByLabel('Weighed fraction of Yamabuki, %').fill('58');
await page.getByLabel('Weighed fraction of Kurobane blue, %').fill('42');
await page.getByLabel('Weighed fraction of Kurobane blue, %').press('Enter');
await page.getByRole('application').focus();
await shot('fit', 1500);
// Three places watched at once while a constant is stepped.
for (let i = 0; i < 3; i++) {
  for (let k = 0; k <= 4 * i; k++) await page.keyboard.press('n');
  await page.keyboard.press('p');
}
const lattice = page.getByLabel('a of Yamabuki', { exact: true });
await lattice.scrollIntoViewIfNeeded();
await lattice.focus();
for (let i = 0; i < 4; i++) await page.keyboard.press('ArrowUp');
await lattice.hover();
await shot('live', 900);
await page.keyboard.press('Escape');
await home();
await page.getByRole('button', { name: 'Shiratsuyu-1' }).click();
await page.getByRole('button', { name: 'Take it in' }).click();
await page.getByRole('link', { name: /Refine/ }).click();
const aspherical = page.getByRole('region', { name: 'Aspherical atoms' });
await aspherical.getByRole('button', { name: 'Aspherical atoms' }).click();
await aspherical.getByRole('button', { name: 'Refine with aspherical atoms' }).click();
await aspherical.getByRole('button', { name: 'Go on' }).waitFor({ timeout: 300_000 });
await aspherical.getByRole('table', { name: 'Bonds to hydrogen' }).scrollIntoViewIfNeeded();
await shot('aspherical', 2000);
await page.goto(base);
await shot('home', 4000);
await browser.close();
