// From a fresh clone: installs what is missing, then layout, type check, lint and build, unit tests, browser tests.
// Without `all`, those marked as long are left out: whole runs on many made-up crystals, journeys of half a minute.
import { spawn, spawnSync } from 'node:child_process';
import { existsSync } from 'node:fs';
import { fileURLToPath } from 'node:url';

const root = fileURLToPath(new URL('..', import.meta.url));
const step = (title, command, args, env = {}) => {
  process.stdout.write(`\n== ${title}\n`);
  const { status } = spawnSync(command, args, { cwd: root, stdio: 'inherit', env: { ...process.env, ...env } });
  if (status !== 0) {
    process.stderr.write(`\n${title} failed.\n`);
    process.exit(status ?? 1);
  }
};

if (!existsSync(`${root}node_modules/vite`)) step('Installing packages', 'npm', ['ci', '--no-audit', '--no-fund']);
const chromium = process.env['CHROMIUM'] ?? '/usr/bin/chromium';
if (!existsSync(chromium)) {
  const root0 = process.getuid?.() === 0;
  if (!root0 || !existsSync('/usr/bin/apt-get')) {
    process.stderr.write(
      'The browser tests need Chromium. Install it (Debian: apt-get install chromium) or set CHROMIUM to its path.\n',
    );
    process.exit(2);
  }
  step('Looking for Debian’s Chromium', 'apt-get', ['update', '-qq']);
  step('Installing Debian’s Chromium', 'apt-get', ['install', '-y', '-qq', 'chromium'], {
    DEBIAN_FRONTEND: 'noninteractive',
  });
}

/** Steps that do not need one another, side by side; what each printed comes when it is done. */
async function together(steps) {
  const results = await Promise.all(
    steps.map(
      ([title, command, args]) =>
        new Promise((resolve) => {
          const child = spawn(command, args, { cwd: root, env: process.env });
          let said = '';
          child.stdout.on('data', (d) => (said += d));
          child.stderr.on('data', (d) => (said += d));
          child.on('error', (e) => resolve({ title, status: 1, said: e.message }));
          child.on('close', (status) => {
            process.stdout.write(`\n== ${title}\n${said}`);
            resolve({ title, status: status ?? 1 });
          });
        }),
    ),
  );
  for (const { title, status } of results)
    if (status !== 0) {
      process.stderr.write(`\n${title} failed.\n`);
      process.exit(status);
    }
}

await together([
  ['Layout', 'npx', ['prettier', '--check', '--log-level', 'warn', '.']],
  ['Type check', 'npx', ['tsc', '--noEmit', '-p', 'tsconfig.json']],
  ['Lint', 'npx', ['eslint', '.']],
  ['Building the application', 'npx', ['vite', 'build', 'web', '--logLevel', 'warn']],
]);
const everything = process.argv.includes('all');
step('Unit tests', 'npx', ['vitest', 'run', ...(everything ? [] : ['--tags-filter=!long'])]);
step('Browser tests', 'npx', ['playwright', 'test'], everything ? {} : { WITHOUT_LONG: '1' });
if (!everything) process.stdout.write('\nLong tests were left out; `npm run test:all` runs them too.\n');
