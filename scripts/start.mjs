// From a fresh clone to a running application: installs what is missing, builds when sources changed, serves.
import { spawnSync } from 'node:child_process';
import { existsSync, readdirSync, statSync } from 'node:fs';
import { fileURLToPath } from 'node:url';

const root = fileURLToPath(new URL('..', import.meta.url));
const run = (command, args) => {
  const { status } = spawnSync(command, args, { cwd: root, stdio: 'inherit' });
  if (status) process.exit(status);
};
const newest = (folder) =>
  readdirSync(folder, { recursive: true, withFileTypes: true })
    .filter((f) => f.isFile())
    .reduce((t, f) => Math.max(t, statSync(`${f.parentPath ?? f.path}/${f.name}`).mtimeMs), 0);

const built = `${root}web/dist/index.html`;
// An installation without the tools that build serves what was built before.
const tools = () => existsSync(`${root}node_modules/vite`);
const ready = existsSync(`${root}node_modules/tsx`) && existsSync(built);
if (!tools() && !ready) run('npm', ['ci', '--no-audit', '--no-fund']);
const stale = () =>
  !existsSync(built) ||
  statSync(built).mtimeMs < Math.max(newest(`${root}web/src`), newest(`${root}core/src`), newest(`${root}demo/data`));
if (tools() && stale()) run('npx', ['vite', 'build', 'web', '--logLevel', 'warn']);
run(process.execPath, ['--import', 'tsx', 'server/src/main.ts']);
