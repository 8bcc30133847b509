/** The commands of the terminal by name: what was written in, what is said and the exit status out. */
import { writeFileSync } from 'node:fs';
import { parseArgs } from 'node:util';
import { FileProblem } from '@nagare/core/formats/cif-parser';
import { BadInput, numberOption, type Answer, type Options, type Say } from './answers.ts';
import { buildAnswer } from './build.ts';
import { contactsAnswer } from './contacts.ts';
import { depictAnswer } from './depict.ts';
import { energiesAnswer } from './energies.ts';
import { compareAnswer } from './compare.ts';
import { shapeAnswer } from './shape.ts';
import { voidsAnswer } from './voids.ts';
import { wishesAnswer } from './wishes.ts';
import { checkAnswer, reportAnswer } from './check.ts';
import { coordinationAnswer } from './coordination.ts';
import { merge, refine, settle, solve } from './crystal.ts';
import { cellAnswer, geometryAnswer } from './geometry.ts';
import { HELP } from './help.ts';
import { modelWithData, onePath, twoPaths, read } from './inputs.ts';
import { fitAnswer, identifyAnswer, indexAnswer, patternAnswer } from './powder.ts';
import { chooseChange, resetAnswer, symmetryAnswer } from './symmetry.ts';

async function symmetry(paths: string[], options: Options): Promise<Answer> {
  const { model, raw } = modelWithData('symmetry', paths);
  return symmetryAnswer(model, numberOption('tolerance', options['tolerance'] as string | undefined, 0.25), raw);
}

async function geometry(paths: string[], options: Options): Promise<Answer> {
  const { model } = modelWithData('geometry', [onePath(paths)]);
  const reach = options['reach'] as string | undefined;
  return geometryAnswer(model, !!options['rings'] || reach !== undefined, numberOption('reach', reach, 5));
}

async function cell(paths: string[]): Promise<Answer> {
  return cellAnswer(modelWithData('cell', [onePath(paths)]).model);
}

async function check(paths: string[]): Promise<Answer> {
  const { model, raw } = modelWithData('check', paths);
  return checkAnswer(model, raw);
}

async function report(paths: string[], options: Options): Promise<Answer> {
  const { model, raw } = modelWithData('report', paths);
  if (typeof options['out'] !== 'string') throw new BadInput('report needs --out report.html.');
  const { html, json, text } = reportAnswer(model, raw);
  writeFileSync(options['out'], html);
  return { json: { ...json, out: options['out'] }, text: `${text} Written to ${options['out']}.` };
}

async function reset(paths: string[], options: Options): Promise<Answer> {
  const { model, raw } = modelWithData('reset', paths);
  const { cif, json, text } = resetAnswer(
    model,
    chooseChange(model, (options['setting'] as string | undefined) ?? 'standard'),
    raw,
  );
  if (typeof options['out'] === 'string') writeFileSync(options['out'], cif);
  return { json, text };
}

export interface Outcome {
  readonly code: number;
  /** The answer. */
  readonly out?: string;
  /** What went wrong. */
  readonly problem?: string;
}

/** A value that begins with a minus sign, as in --plane -1,1,1, belongs to the option before it. */
const joined = (args: readonly string[]): string[] =>
  args.reduce<string[]>((out, word) => {
    const before = out.at(-1);
    if (/^-[\d.]/.test(word) && before && /^--[a-z-]+$/.test(before)) out[out.length - 1] = `${before}=${word}`;
    else out.push(word);
    return out;
  }, []);

/** Arguments as names and values. Throws BadInput with the help. */
function parse(args: readonly string[]) {
  try {
    return parseArgs({
      args: joined(args),
      allowPositionals: true,
      options: {
        json: { type: 'boolean' },
        help: { type: 'boolean' },
        formula: { type: 'string' },
        z: { type: 'string' },
        'space-group': { type: 'string' },
        seed: { type: 'string' },
        seconds: { type: 'string' },
        out: { type: 'string' },
        adp: { type: 'string' },
        disorder: { type: 'string' },
        cycles: { type: 'string' },
        tolerance: { type: 'string' },
        setting: { type: 'string' },
        wavelength: { type: 'string' },
        from: { type: 'string' },
        to: { type: 'string' },
        phase: { type: 'string', multiple: true },
        instrument: { type: 'string' },
        recipe: { type: 'string' },
        elements: { type: 'string' },
        rings: { type: 'boolean' },
        reach: { type: 'string' },
        centre: { type: 'string' },
        matrix: { type: 'string' },
        plane: { type: 'string' },
        layers: { type: 'string' },
        count: { type: 'string' },
        vacuum: { type: 'string' },
        normal: { type: 'boolean' },
        oblique: { type: 'boolean' },
        termination: { type: 'string' },
        group: { type: 'string' },
        cell: { type: 'string' },
        sites: { type: 'string' },
        origin: { type: 'string' },
        site: { type: 'string' },
        element: { type: 'string' },
        rescale: { type: 'boolean' },
        definition: { type: 'string' },
        probes: { type: 'string' },
        probe: { type: 'string' },
        grid: { type: 'string' },
        figure: { type: 'string' },
        view: { type: 'string' },
        extent: { type: 'string' },
        style: { type: 'string' },
        width: { type: 'string' },
        rays: { type: 'boolean' },
        energies: { type: 'boolean' },
        remedy: { type: 'string' },
        'in-plane': { type: 'string' },
        tensor: { type: 'string' },
        twist: { type: 'string' },
        strain: { type: 'string' },
        distance: { type: 'string' },
        atoms: { type: 'string' },
      },
    });
  } catch (e) {
    throw new BadInput(`${(e as Error).message}\n${HELP}`);
  }
}

async function perform(args: readonly string[], say: Say): Promise<Outcome> {
  const parsed = parse(args);
  const [command, ...paths] = parsed.positionals;
  if (parsed.values.help || !command) return { code: command || parsed.values.help ? 0 : 2, out: HELP };
  const flags = Object.fromEntries(
    Object.entries(parsed.values).map(([k, v]) => [k, Array.isArray(v) ? String(v.at(-1)) : v]),
  );
  const commands: Record<string, () => Promise<Answer>> = {
    merge: () => merge(paths),
    solve: () => solve(paths, flags, say),
    refine: () => refine(paths, flags),
    settle: () => settle(paths, flags, say),
    symmetry: () => symmetry(paths, flags),
    check: () => check(paths),
    geometry: () => geometry(paths, flags),
    coordination: async () =>
      coordinationAnswer(modelWithData('coordination', [onePath(paths)]).model, flags['centre'] as string | undefined),
    contacts: async () =>
      contactsAnswer(
        modelWithData('contacts', [onePath(paths)]).model.structure!,
        flags['definition'] as string | undefined,
      ),
    energies: async () => energiesAnswer(modelWithData('energies', [onePath(paths)]).model.structure!),
    voids: () => voidsAnswer(modelWithData('voids', paths), flags),
    compare: async () => {
      const [one, two] = twoPaths(paths).map((path) => modelWithData('compare', [path]).model.structure!);
      return compareAnswer(one!, two!);
    },
    shape: async () => shapeAnswer(modelWithData('shape', [onePath(paths)]).model.structure!, !!flags['energies']),
    wishes: async () =>
      wishesAnswer(
        modelWithData('wishes', [onePath(paths)]).model.structure!,
        flags['probes'] as string | undefined,
        flags['site'] as string | undefined,
      ),
    depict: async () => depictAnswer(modelWithData('depict', [onePath(paths)]).model.structure!, flags, say),
    cell: () => cell(paths),
    build: async () => buildAnswer(paths, flags),
    report: () => report(paths, flags),
    reset: () => reset(paths, flags),
    pattern: async () => patternAnswer([onePath(paths)], parsed.values, read),
    fit: () => fitAnswer([onePath(paths)], parsed.values, read, say),
    index: () => indexAnswer([onePath(paths)], parsed.values, read),
    identify: () => identifyAnswer([onePath(paths)], parsed.values, read),
  };
  const run = commands[command];
  if (!run) throw new BadInput(`"${command}" is not a command.\n${HELP}`);
  const { json, text } = await run();
  // NaN has no place in JSON; what is not known becomes null.
  return { code: 0, out: parsed.values.json ? JSON.stringify(json) : text };
}

/** Runs a command as it was written. Reports on the way go to `say`; nothing is thrown. */
export async function runCommand(args: readonly string[], say: Say): Promise<Outcome> {
  try {
    return await perform(args, say);
  } catch (error) {
    const e = error as Error;
    // What the person can mend is one sentence; anything else is ours, and says so.
    const theirs =
      e instanceof BadInput || e instanceof RangeError || e instanceof SyntaxError || e instanceof FileProblem;
    return theirs
      ? { code: 2, problem: e.message }
      : { code: 1, problem: `Something went wrong inside Nagare: ${e.stack}` };
  }
}
