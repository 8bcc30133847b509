import { defineConfig } from 'vitest/config';

const shared = { testTimeout: 120_000, hookTimeout: 120_000, pool: 'threads' as const };

export default defineConfig({
  test: {
    maxWorkers: 2,
    // Left out of the everyday run (scripts/test.mjs).
    tags: [{ name: 'long', description: 'made-up crystals by the dozen and whole runs, seconds each' }],
    projects: [
      // Modules are loaded once a thread: no test of these leaves anything behind in them.
      {
        test: { ...shared, name: 'science', include: ['{core,server,cli,demo,fuzz}/**/*.test.ts'], isolate: false },
      },
      // The page's modules hold what belongs to the tab: each file gets its own.
      { test: { ...shared, name: 'page', include: ['web/**/*.test.{ts,tsx}'] } },
    ],
  },
});
