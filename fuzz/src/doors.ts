/** The doors of Nagare, each tried with one wrong thing at a time; a door says what should not have happened. */
import { mkdtempSync, readFileSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { strFromU8, strToU8, unzipSync, zipSync } from 'fflate';
import { runCommand } from '../../cli/src/commands.ts';
import { readProjectFile } from '../../web/src/store/project-file.ts';
import { FileProblem } from '@nagare/core/formats/cif-parser';
import { recognise } from '@nagare/core/formats/recognise';
import type { Random } from '@nagare/core/math/random';
import { checkedInput, isTask } from '@nagare/core/tasks/registry';
import { decodeWire, encodeWire } from '@nagare/core/tasks/wire';
import { seeds } from './corpus.ts';
import { httpCase } from './http-door.ts';
import { mutated, mutatedJson } from './mutate.ts';
import { complaintAbout, complaintAboutRefusal, notFinite } from './oracle.ts';

export interface Case {
  /** What was tried, for the report. */
  readonly about: string;
  /** The wrong thing itself, as text. */
  readonly text: string;
  /** Tries it; what should not have happened, if anything. May throw: that is a finding too. */
  run(text: string): Promise<string | undefined> | string | undefined;
}

export type Door = (random: Random) => Case;

const pick = <T>(random: Random, list: readonly T[]): T => list[random.below(list.length)]!;

const SEEDS = seeds();

function tryReading(text: string, name: string): string | undefined {
  let found: ReturnType<typeof recognise>;
  try {
    found = recognise(text, name);
  } catch (e) {
    if (!(e instanceof FileProblem)) return `${(e as Error).name}: ${(e as Error).stack?.slice(0, 400)}`;
    return complaintAboutRefusal(e.message);
  }
  for (const r of found) {
    const complaint = complaintAbout(r);
    if (complaint) return `taken: ${complaint}`;
    for (const aside of r.asides ?? []) {
      const words = complaintAboutRefusal(aside.text);
      if (words) return words;
    }
  }
  return undefined;
}

/** Files as they are dropped or given to the terminal. */
export const readers: Door = (random) => {
  const seed = pick(random, SEEDS);
  const other = pick(random, SEEDS);
  return {
    about: seed.name,
    text: mutated(seed.text, other.text, random),
    run: (text) => tryReading(text, seed.name),
  };
};

const PROJECTS = ['Aobae', 'Benigara-2', 'Kasumi'].map((name) => {
  const bytes = readFileSync(new URL(`../../e2e/projects/${name}.nagare`, import.meta.url));
  const parts = Object.entries(unzipSync(bytes)).filter(([part]) => part.endsWith('.json'));
  // Maps are most of a file and all alike.
  const light = parts.filter(([part]) => part !== 'results.json');
  return { name, parts: light.map(([part, content]) => [part, strFromU8(content)] as const) };
});

/** A project file with one part changed; the text is that part. */
export const projects: Door = (random) => {
  const project = pick(random, PROJECTS);
  const [part, whole] = pick(random, project.parts);
  const text =
    random.next() < 0.8 ? JSON.stringify(mutatedJson(JSON.parse(whole), random)) : mutated(whole, whole, random);
  return {
    about: `${project.name}, ${part}`,
    text,
    run(changed) {
      const files = Object.fromEntries(project.parts.map(([n, t]) => [n, strToU8(n === part ? changed : t)]));
      const zip = zipSync(files, { level: 0 });
      try {
        const { parts, lost } = readProjectFile(zip, 'wrong.nagare');
        const known = new Set(parts.marks.map((m) => m.id));
        const models = new Set(parts.models.map((m) => m.id));
        if (parts.marks.some((m) => m.parent !== undefined && !known.has(m.parent))) return 'a mark without its parent';
        if (parts.marks.some((m) => !models.has(m.model))) return 'a mark without its model';
        if (parts.models.some((m) => m.kind === 'structure' && notFinite(m.structure))) return 'a model of no numbers';
        for (const sentence of lost) {
          const words = complaintAboutRefusal(sentence);
          if (words) return words;
        }
        return undefined;
      } catch (e) {
        return complaintAboutRefusal((e as Error).message);
      }
    },
  };
};

const RECOGNISED = recognise(SEEDS[0]!.text, SEEDS[0]!.name)[0]!;
const MODEL = recognise(SEEDS.find((s) => s.name === 'rutile.cif')!.text, 'rutile.cif')[0]!;
const REQUESTS: readonly (readonly [string, unknown])[] = [
  ['analyse', { raw: RECOGNISED.raw, cell: RECOGNISED.cell }],
  ['recognise', { text: 'data_x', fileName: 'x.cif' }],
  ['vet', { structure: MODEL.structure, experiment: MODEL.experiment, items: MODEL.items }],
];

/** A request to the server, as its threads read it: decoded and checked at the door of its task. */
export const requests: Door = (random) => {
  const [task, input] = pick(random, REQUESTS);
  const odd = random.next() < 0.05 ? pick(random, ['__proto__', 'constructor', 'brew', '']) : task;
  const right = encodeWire(input);
  const text =
    random.next() < 0.7 ? JSON.stringify(mutatedJson(JSON.parse(right), random)) : mutated(right, right, random);
  return {
    about: `request for ${odd}`,
    text,
    async run(changed) {
      let value: unknown;
      try {
        value = decodeWire(changed);
      } catch {
        return undefined;
      }
      try {
        const taken = await checkedInput(odd, value);
        const found = notFinite(taken);
        return found ? `taken: ${found}` : isTask(odd) ? undefined : 'a task that is none was taken';
      } catch (e) {
        const { name, message } = e as Error;
        if (name !== 'SyntaxError' && name !== 'RangeError') return `${name}: ${message.slice(0, 300)}`;
        return complaintAboutRefusal(message);
      }
    },
  };
};

const folder = mkdtempSync(join(tmpdir(), 'nagare-fuzz-'));
const GOOD = join(folder, 'rutile.cif');
writeFileSync(GOOD, SEEDS.find((s) => s.name === 'rutile.cif')!.text);

const COMMANDS = [
  'cell',
  'geometry',
  'coordination',
  'contacts',
  'pattern',
  'symmetry',
  'reset',
  'merge',
  'help',
  'build',
];
const WORDS = [
  ...['--json', '--rings', '--reach', '--setting', '--from', '--to', '--wavelength', '--tolerance', '--out', '--frob'],
  ...['slab', 'supercell', 'primitive', '--plane', '--matrix', '--layers', '--cell', '--help', '-x', '--', '-', ''],
  ...['1', '-1', '0', '1e999', '0.4', '1e9', '1,1,1', '2,0,0;0,2,0;0,0,1', 'standard', '-a,b,c', '__proto__'],
  ...['constructor', '/nowhere/x.cif', folder, GOOD, GOOD, GOOD, '90', '170', 'P 1', 'é', "'", 'x'.repeat(3000)],
];

/** A command line; the text is its words, a line each. */
export const terminal: Door = (random) => {
  const words = [random.next() < 0.9 ? pick(random, COMMANDS) : pick(random, WORDS)];
  const count = random.below(6);
  for (let i = 0; i < count; i++) words.push(random.next() < 0.35 ? GOOD : pick(random, WORDS));
  // What is written stays out of the folder that one works in.
  for (let i = 1; i < words.length; i++)
    if (words[i - 1] === '--out' && /^[^/]/.test(words[i]!)) words[i] = join(folder, words[i]!);
  return {
    about: 'a command line',
    text: words.join('\n'),
    async run(text) {
      const { code, out, problem } = await runCommand(text.split('\n'), () => undefined);
      if (code !== 0 && code !== 2) return `status ${code}: ${problem?.slice(0, 400)}`;
      if (code === 0 && /\bNaN\b|undefined|Infinity/.test(out ?? ''))
        return `said: ${/.{0,60}(NaN|undefined|Infinity).{0,40}/.exec(out!)![0]}`;
      if (problem?.includes('\n')) return `a refusal of several lines: ${problem.slice(0, 300)}`;
      return problem === undefined ? undefined : complaintAboutRefusal(problem);
    },
  };
};

/** Bytes on the socket of the server. */
export const http: Door = httpCase;

export const DOORS = { readers, projects, requests, http, terminal } as const;
export type DoorName = keyof typeof DOORS;
