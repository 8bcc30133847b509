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

if (!existsSync(`${root}node_modules/vite`)) run('npm', ['ci', '--no-audit', '--no-fund']);
const built = `${root}web/dist/index.html`;
if (
  !existsSync(built) ||
  statSync(built).mtimeMs < Math.max(newest(`${root}web/src`), newest(`${root}core/src`), newest(`${root}demo/data`))
)
  run('npx', ['vite', 'build', 'web', '--logLevel', 'warn']);
run('npx', ['tsx', 'server/src/main.ts']);
