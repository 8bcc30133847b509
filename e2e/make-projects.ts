/**
 * Makes the project files that browser tests begin from: demo sets, solved. Run it against a server (`NAGARE=http://127.0.0.1:4700 npx tsx e2e/make-projects.ts`) when the file format
 * changes on purpose; files of an earlier format are as good for the tests as long as they can be read.
 */
import { mkdirSync } from 'node:fs';
import { chromium, type Page } from '@playwright/test';
import { exportProject, openDemo, solve } from './support.ts';

const PROJECTS = ['Aobae', 'Benigara-2', 'Futago-1', 'Kasumi', 'Mizuasagi'];

const folder = new URL('projects/', import.meta.url).pathname;
mkdirSync(folder, { recursive: true });
const browser = await chromium.launch({
  executablePath: process.env['CHROMIUM'] ?? '/usr/bin/chromium',
  args: ['--no-sandbox', '--disable-background-networking', '--use-gl=angle', '--use-angle=swiftshader'],
});
for (const demo of PROJECTS) {
  const page: Page = await browser.newPage({
    baseURL: process.env['NAGARE'] ?? 'http://127.0.0.1:4700',
    viewport: { width: 1280, height: 800 },
  });
  await openDemo(page, demo);
  await solve(page);
  await exportProject(page, demo, `${folder}${demo}.nagare`);
  await page.close();
  process.stdout.write(`${demo}\n`);
}
await browser.close();
