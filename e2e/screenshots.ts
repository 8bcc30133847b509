/** Takes the pictures of docs/screenshots from the demo data: `npm run screenshots` while `npm start` runs. */
import { chromium } from '@playwright/test';

const base = process.env['NAGARE'] ?? 'http://127.0.0.1:4620';
const folder = new URL('../docs/screenshots/', import.meta.url).pathname;
const browser = await chromium.launch({ executablePath: process.env['CHROMIUM'] ?? '/usr/bin/chromium', args: ['--no-sandbox', '--disable-background-networking', '--disable-component-update', '--disable-sync', '--no-first-run', '--use-gl=angle', '--use-angle=swiftshader', '--enable-unsafe-swiftshader'] });
const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
const shot = async (name: string, wait = 900): Promise<void> => {
  await page.waitForTimeout(wait);
  await page.screenshot({ path: `${folder}${name}.png` });
};
await page.goto(base);
await shot('home');
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
await page.getByRole('application').focus();
await page.keyboard.press('n');
await page.keyboard.press('Shift+N');
await shot('refine', 2000);
await page.getByRole('button', { name: 'Clear' }).click();
await page.getByRole('link', { name: /Publish/ }).click();
await page.getByRole('button', { name: 'Show it' }).click();
await shot('publish', 2500);
await page.getByRole('link', { name: /Refine/ }).click();
await page.getByRole('button', { name: 'Cell', exact: true }).click();
await page.getByRole('button', { name: 'Residual density' }).click();
await page.getByRole('button', { name: 'a', exact: true }).click();
await shot('cell', 2000);
await browser.close();
