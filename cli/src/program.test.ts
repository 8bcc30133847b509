/** Every command and every option of the terminal, as far as the command line itself goes. */
import { describe, expect, it } from 'vitest';
import { BadInput } from './answers.ts';
import { runCommand } from './commands.ts';
import { OPTIONS } from './options.ts';
import { readCommandLine, type Read } from './program.ts';

const refusal = (...args: string[]): string => {
  try {
    readCommandLine(args);
  } catch (e) {
    if (e instanceof BadInput) return e.message;
    throw e;
  }
  throw new Error(`${args.join(' ')} was taken`);
};
const shown = (r: Read): string => ('shown' in r ? r.shown : '');

/** Commands by what help lists, those beneath `build` by its own help. */
function commandNames(): string[] {
  const listed = (text: string): string[] =>
    text
      .slice(text.indexOf('Commands:'))
      .split('\n')
      .flatMap((line) => /^ {2}([a-z]+)(?: |$)/.exec(line)?.[1] ?? [])
      .filter((name) => name !== 'help');
  const top = listed(shown(readCommandLine(['--help'])));
  const ways = listed(shown(readCommandLine(['build', '--help']))).map((way) => `build ${way}`);
  return [...top.filter((name) => name !== 'build'), ...ways];
}

const NAMES = commandNames();
const helpOf = (name: string): string => shown(readCommandLine([...name.split(' '), '--help']));
/** Files that a command must be given. */
const filesOf = (name: string): string[] =>
  [
    ...helpOf(name)
      .split('\n')[0]!
      .matchAll(/<([^>]+)>/g),
  ].map((m) => m[1]!);

describe('every command', () => {
  it('is listed once', () => {
    expect(NAMES.length).toBeGreaterThan(30);
    expect(new Set(NAMES).size).toBe(NAMES.length);
  });

  it.each(NAMES)('%s tells what it takes, and that answers come as JSON too', (name) => {
    const help = helpOf(name);
    expect(help).toContain(`nagare ${name}`);
    expect(help).toContain('--json');
    expect(shown(readCommandLine(['help', ...name.split(' ')])) || help).toContain('nagare');
  });

  it.each(NAMES)('%s refuses what it does not know, in one sentence that leads to its help', (name) => {
    const words = name.split(' ');
    const unknown = refusal(...words, ...filesOf(name), '--no-such-option');
    expect(unknown).toBe(`"--no-such-option" is not an option of nagare ${name}. See: nagare help ${name}.`);
    const files = filesOf(name);
    if (files.length)
      expect(refusal(...words)).toBe(`nagare ${name} needs a file: ${files[0]}. See: nagare help ${name}.`);
    expect(refusal(...words, 'a.cif', 'b.cif', 'c.cif')).toContain('more files than it takes');
  });

  it.each(NAMES.filter((name) => filesOf(name).length))('%s says which file is not there', async (name) => {
    const files = filesOf(name).map((_, i) => `/no/such/file-${i}.cif`);
    const { code, problem } = await runCommand([...name.split(' '), ...files], () => undefined);
    expect(code).toBe(2);
    expect(problem).toMatch(/\.$/);
    expect(problem).not.toMatch(/ENOENT|undefined|\n/);
  });
});

/** A command that takes an option. */
const takerOf = (flag: string): string => {
  const name = NAMES.find((n) => new RegExp(`${flag}\\b`).test(helpOf(n)));
  if (!name) throw new Error(`nobody takes ${flag}`);
  return name;
};

describe('every option', () => {
  const all = Object.entries(OPTIONS);

  it.each(all)('%s is taken by a command, with its value', (_, option) => {
    const flag = option.long!;
    const name = takerOf(flag);
    const line = [...name.split(' '), ...filesOf(name), flag];
    if (!option.required) {
      const read = readCommandLine(line);
      expect('asked' in read && read.asked.options[flag.slice(2)]).toBe(true);
      return;
    }
    expect(refusal(...line)).toContain('needs a value');
  });

  /** Options whose values are numbers: what they refuse names a range. */
  const numeric = all.filter(([, o]) => {
    if (!o.required || !o.parseArg) return false;
    try {
      o.parseArg('no number', undefined as never);
      return false;
    } catch {
      return true;
    }
  });

  it('are numbers where numbers are meant', () => {
    expect(numeric.map(([name]) => name)).toEqual(expect.arrayContaining(['cycles', 'wavelength', 'seconds', 'probe']));
  });

  it.each(numeric)('%s takes numbers of its range alone, in any way of writing them', (_, option) => {
    const read = (text: string): unknown => option.parseArg!(text, undefined as never);
    const why = (text: string): string => {
      try {
        read(text);
        return '';
      } catch (e) {
        return (e as Error).message;
      }
    };
    const words = /needs a (whole )?number (?:from|above) (\S+) (?:and up )?to (\S+), not "ten"/.exec(why('ten'))!;
    const [low, high] = [Number(words[2]), Number(words[3])];
    expect(low).toBeLessThan(high);
    expect(Number(read(words[3]!))).toBe(high);
    expect(why(String(high + 1))).toContain(`not "${high + 1}"`);
    expect(why(String(low - 1))).toContain(`not "${low - 1}"`);
    const middle = words[1] ? Math.ceil((low + high) / 2) : (low + high) / 2;
    expect(Number(read(String(middle)))).toBe(middle);
    expect(Number(read(middle.toExponential()))).toBe(middle);
    for (const wrong of ['', ' ', 'NaN', 'Infinity', '1e999', '0x10', '1,5', '--', '1 2', '9'.repeat(60)])
      expect(why(wrong), JSON.stringify(wrong)).toMatch(/^needs a /);
    if (words[1]) expect(why(String(low + 0.5))).toContain('whole');
  });

  it('texts are not without end', () => {
    expect(refusal('solve', 'x.cif', '--formula', 'C'.repeat(5000))).toBe(
      '--formula is too long. See: nagare help solve.',
    );
  });

  it('do not take the next option for their value', () => {
    expect(refusal('refine', 'x.cif', '--out', '--json')).toBe(
      '--out needs a value before "--json". See: nagare help refine.',
    );
  });

  it('that may be given several times keeps all of them in order', () => {
    const read = readCommandLine(['fit', 'p.xy', '--phase', 'a.cif', '--phase', 'b.cif']);
    expect('asked' in read && read.asked.options.phase).toEqual(['a.cif', 'b.cif']);
  });
});

describe('what is no command', () => {
  it.each(['constructor', '__proto__', 'toString', 'hasOwnProperty', 'Solve', 'sovle', '-1'])('%s', (word) => {
    expect(refusal(word)).toMatch(/^"?.* is not (a command|an option of nagare)\b.*\. See: nagare help\.$/);
  });

  it('beneath build, too', () => {
    expect(refusal('build', 'wall', 'x.cif')).toBe('"wall" is not a command of nagare build. See: nagare help build.');
  });

  it('nothing at all shows the help, and is no success', () => {
    const read = readCommandLine([]);
    expect('code' in read && read.code).toBe(2);
    expect(shown(read)).toContain('solve');
  });
});
