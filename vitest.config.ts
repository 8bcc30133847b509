import { defineConfig } from 'vitest/config';

export default defineConfig({
  test: {
    include: ['{core,web,server,cli,demo,fuzz}/**/*.test.{ts,tsx}'],
    testTimeout: 120_000,
    hookTimeout: 120_000,
    pool: 'threads',
    // Modules are loaded once a thread: no test leaves anything behind in them.
    isolate: false,
    maxWorkers: 2,
  },
});
