import { defineConfig } from '@playwright/test';

const port = 4631;

export default defineConfig({
  testDir: 'e2e',
  timeout: 480_000,
  expect: { timeout: 20_000 },
  // Half of a test is waiting for one of its processes; the other core is then another test’s.
  workers: 2,
  retries: process.env['CI'] ? 1 : 0,
  // Here, since what is asked for on the command line does not hold for a project that another one waits for.
  ...(process.env['WITHOUT_LONG'] ? { grepInvert: /@long/ } : {}),
  // What holds the page up is measured when no other test runs.
  projects: [
    { name: 'page', testIgnore: 'main-thread.spec.ts' },
    { name: 'alone', testMatch: 'main-thread.spec.ts', dependencies: ['page'] },
  ],
  reporter: 'list',
  use: {
    baseURL: `http://127.0.0.1:${port}`,
    // What is not there after a minute does not come; tests that wait for long work say so.
    actionTimeout: 60_000,
    viewport: { width: 1280, height: 800 },
    // What moves only to please is painted by one of two cores here; what it leads to is the same.
    contextOptions: { reducedMotion: 'reduce' },
    // Each test is a browser of its own: keeping the whole application for each would only take time.
    serviceWorkers: 'block',
    launchOptions: {
      executablePath: process.env['CHROMIUM'] ?? '/usr/bin/chromium',
      args: [
        '--no-sandbox',
        '--disable-background-networking',
        '--disable-component-update',
        '--disable-sync',
        '--no-first-run',
        '--disable-quic',
        '--disable-gpu',
        '--enable-unsafe-swiftshader',
      ],
    },
  },
  webServer: {
    command: 'npx tsx server/src/main.ts',
    env: { PORT: String(port) },
    url: `http://127.0.0.1:${port}`,
    reuseExistingServer: false,
    timeout: 60_000,
  },
});
