/** Nagare from a terminal. */
import { runCommand } from './commands.ts';

const { code, out, problem } = await runCommand(process.argv.slice(2), (line) => process.stderr.write(`${line}\n`));
if (problem) process.stderr.write(`${problem}\n`);
if (out !== undefined) process.stdout.write(`${out}\n`, () => process.exit(code));
else process.exit(code);
