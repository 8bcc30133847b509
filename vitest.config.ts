import { defineConfig } from 'vitest/config';

export default defineConfig({
  test: {
    include: ['{core,web,server,cli,demo,fuzz}/**/*.test.{ts,tsx}'],
    testTimeout: 120_000,
    hookTimeout: 120_000,
    pool: 'threads',
    maxWorkers: 2,
  },
});
