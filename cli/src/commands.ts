/** What the commands of the terminal do: what was written in, what is said and the exit status out. */
import { FileProblem } from '@nagare/core/formats/cif-parser';
import { checkOut, writeOut } from './answer-file.ts';
import { BadInput, numberOption, type Answer, type Options, type Say } from './answers.ts';
import { buildAnswer } from './build.ts';
import { contactsAnswer } from './contacts.ts';
import { depictAnswer } from './depict.ts';
import { energiesAnswer } from './energies.ts';
import { compareAnswer } from './compare.ts';
import { shapeAnswer } from './shape.ts';
import { voidsAnswer } from './voids.ts';
import { asphericalAnswer, wavefunctionAnswer } from './waves.ts';
import { wishesAnswer } from './wishes.ts';
import { checkAnswer, reportAnswer } from './check.ts';
import { coordinationAnswer } from './coordination.ts';
import { merge, refine, settle, solve } from './crystal.ts';
import { cellAnswer, geometryAnswer } from './geometry.ts';
import { modelWithData, read } from './inputs.ts';
import { fitAnswer, identifyAnswer, indexAnswer, patternAnswer } from './powder.ts';
import { readCommandLine, type Asked } from './program.ts';
import { chooseChange, resetAnswer, symmetryAnswer } from './symmetry.ts';

const textOf = (options: Options, name: string): string | undefined => {
  const value = options[name];
  return typeof value === 'string' ? value : undefined;
};

function geometry(files: string[], options: Options): Answer {
  const { model } = modelWithData('geometry', files);
  const reach = textOf(options, 'reach');
  return geometryAnswer(model, !!options['rings'] || reach !== undefined, numberOption('reach', reach, 5));
}

function report(files: string[], options: Options): Answer {
  const out = textOf(options, 'out');
  if (out === undefined) throw new BadInput('report needs --out report.html.');
  const { model, raw } = modelWithData('report', files);
  const { html, json, text } = reportAnswer(model, raw);
  writeOut(out, html);
  return { json: { ...json, out }, text: `${text} Written to ${out}.` };
}

function reset(files: string[], options: Options): Answer {
  const { model, raw } = modelWithData('reset', files);
  const setting = textOf(options, 'setting') ?? 'standard';
  const { cif, json, text } = resetAnswer(model, chooseChange(model, setting), raw);
  const out = textOf(options, 'out');
  if (out !== undefined) writeOut(out, cif);
  return { json, text };
}

function symmetry(files: string[], options: Options): Answer {
  const { model, raw } = modelWithData('symmetry', files);
  return symmetryAnswer(model, numberOption('tolerance', textOf(options, 'tolerance'), 0.25), raw);
}

type Command = (files: string[], options: Options, say: Say) => Answer | Promise<Answer>;

/** The structure of the one file of a command. */
const structureIn = (command: string, files: string[]) => modelWithData(command, files).model.structure!;

const COMMANDS = new Map<string, Command>([
  ['merge', (files) => merge(files)],
  ['solve', solve],
  ['refine', refine],
  ['settle', settle],
  ['wavefunction', wavefunctionAnswer],
  ['aspherical', asphericalAnswer],
  ['symmetry', symmetry],
  [
    'check',
    (files) => {
      const { model, raw } = modelWithData('check', files);
      return checkAnswer(model, raw);
    },
  ],
  ['geometry', geometry],
  ['coordination', (files, o) => coordinationAnswer(modelWithData('coordination', files).model, textOf(o, 'centre'))],
  ['contacts', (files, o) => contactsAnswer(structureIn('contacts', files), textOf(o, 'definition'))],
  ['energies', (files) => energiesAnswer(structureIn('energies', files))],
  ['voids', (files, o) => voidsAnswer(modelWithData('voids', files), o)],
  ['compare', ([one, two]) => compareAnswer(structureIn('compare', [one!]), structureIn('compare', [two!]))],
  ['shape', (files, o) => shapeAnswer(structureIn('shape', files), !!o['energies'])],
  ['wishes', (files, o) => wishesAnswer(structureIn('wishes', files), textOf(o, 'probes'), textOf(o, 'site'))],
  ['depict', (files, o, say) => depictAnswer(structureIn('depict', files), o, say)],
  ['cell', (files) => cellAnswer(modelWithData('cell', files).model)],
  ['reset', reset],
  ['report', report],
  ['pattern', (files, o) => patternAnswer(files, o, read)],
  ['fit', (files, o, say) => fitAnswer(files, o, read, say)],
  ['index', (files, o) => indexAnswer(files, o, read)],
  ['identify', (files, o) => identifyAnswer(files, o, read)],
]);

export interface Outcome {
  readonly code: number;
  /** The answer. */
  readonly out?: string;
  /** What went wrong. */
  readonly problem?: string;
}

async function answerTo({ name, files, options }: Asked, say: Say): Promise<Answer> {
  const out = textOf(options, 'out');
  // Found before the work, or all of it would be for nothing.
  if (out !== undefined) checkOut(out);
  const command = COMMANDS.get(name);
  if (command) return command([...files], options, say);
  const [, way] = name.split(' ');
  return buildAnswer([way!, ...files], options);
}

async function perform(args: readonly string[], say: Say): Promise<Outcome> {
  const found = readCommandLine(args);
  if ('shown' in found) return { code: found.code, out: found.shown };
  const { json, text } = await answerTo(found.asked, say);
  // NaN has no place in JSON; what is not known becomes null.
  return { code: 0, out: found.asked.options['json'] ? JSON.stringify(json) : text };
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
