/** The commands of the terminal: their names, files and options, and what is said where they are written wrong. */
import { Argument, Command, CommanderError } from 'commander';
import { BadInput, type Options } from './answers.ts';
import { OPTIONS, type OptionName } from './options.ts';

interface CommandSpec {
  readonly name: string;
  readonly says: string;
  /** Files as they are shown: "model.cif [data.cif]". */
  readonly files: string;
  readonly options: readonly OptionName[];
  /** Further commands beneath this one. */
  readonly ways?: readonly CommandSpec[];
}

const WAYS: readonly CommandSpec[] = [
  { name: 'supercell', says: 'a larger cell by a matrix', files: 'in.cif', options: ['matrix', 'out'] },
  {
    name: 'slab',
    says: 'a slab along a plane, with its terminations',
    files: 'in.cif',
    options: ['plane', 'layers', 'vacuum', 'normal', 'oblique', 'termination', 'remedy', 'inPlane', 'out'],
  },
  {
    name: 'layer',
    says: 'layers of a layered crystal',
    files: 'in.cif',
    options: ['count', 'vacuum', 'normal', 'oblique', 'out'],
  },
  {
    name: 'stack',
    says: 'two layers in their common cell',
    files: 'lower.cif [upper.cif]',
    options: ['atoms', 'strain', 'twist', 'distance', 'vacuum', 'normal', 'oblique', 'out'],
  },
  { name: 'strain', says: 'the crystal under strain', files: 'in.cif', options: ['tensor', 'constants', 'out'] },
  { name: 'pores', says: 'the largest spheres and windows', files: 'in.cif', options: [] },
  { name: 'primitive', says: 'the primitive cell', files: 'in.cif', options: ['out'] },
  { name: 'conventional', says: 'the conventional cell', files: 'in.cif', options: ['out'] },
  { name: 'reduced', says: 'the reduced cell', files: 'in.cif', options: ['out'] },
  {
    name: 'crystal',
    says: 'a crystal from its symmetry',
    files: '',
    options: ['group', 'constants', 'sites', 'origin', 'out'],
  },
  {
    name: 'substitute',
    says: 'one element for another',
    files: 'in.cif',
    options: ['site', 'element', 'rescale', 'out'],
  },
];

const COMMANDS: readonly CommandSpec[] = [
  { name: 'merge', says: 'merge reflections and rank space groups', files: 'data.cif', options: [] },
  {
    name: 'solve',
    says: 'solve a structure from reflections',
    files: 'data.cif',
    options: ['formula', 'z', 'spaceGroup', 'seed', 'seconds', 'out'],
  },
  { name: 'refine', says: 'refine a model', files: 'model.cif [data.cif]', options: ['adp', 'cycles', 'out'] },
  {
    name: 'settle',
    says: 'refine, complete and judge a model to its end',
    files: 'model.cif [data.cif]',
    options: ['disorder', 'out'],
  },
  {
    name: 'wavefunction',
    says: 'the wavefunction of every molecule of a model',
    files: 'model.cif',
    options: ['basis', 'method', 'charge', 'spin', 'neighbours', 'division', 'whole', 'out'],
  },
  {
    name: 'aspherical',
    says: 'refine a model with atoms as its wavefunction shapes them',
    files: 'model.cif [data.cif]',
    options: ['level', 'neighbours', 'division', 'whole', 'hydrogens', 'out'],
  },
  {
    name: 'symmetry',
    says: 'symmetry that is there, and that was missed',
    files: 'model.cif [data.cif]',
    options: ['near'],
  },
  { name: 'check', says: 'every finding of the vet', files: 'model.cif [data.cif]', options: [] },
  { name: 'geometry', says: 'bonds, angles and torsions', files: 'model.cif', options: ['rings', 'reach'] },
  { name: 'coordination', says: 'polyhedra, valences and bond sums', files: 'model.cif', options: ['centre'] },
  { name: 'contacts', says: 'hydrogen bonds and other contacts', files: 'model.cif', options: ['definition'] },
  { name: 'energies', says: 'energies of pairs and of the lattice', files: 'model.cif', options: [] },
  { name: 'voids', says: 'empty space by a probe', files: 'model.cif [data.cif]', options: ['probe', 'grid'] },
  { name: 'compare', says: 'two structures beside one another', files: 'a.cif b.cif', options: [] },
  { name: 'shape', says: 'the shape that a crystal grows to', files: 'model.cif', options: ['energies'] },
  {
    name: 'wishes',
    says: 'where partners of a molecule would be',
    files: 'model.cif',
    options: ['probes', 'wishSite'],
  },
  {
    name: 'depict',
    says: 'a picture as SVG or PNG',
    files: 'model.cif',
    options: ['out', 'figure', 'view', 'extent', 'style', 'width', 'rays'],
  },
  { name: 'cell', says: 'the cell and what it holds', files: 'model.cif', options: [] },
  { name: 'build', says: 'other cells, slabs, layers and crystals', files: '', options: [], ways: WAYS },
  { name: 'reset', says: 'the model in another setting', files: 'model.cif', options: ['setting', 'out'] },
  { name: 'report', says: 'a report as HTML', files: 'model.cif [data.cif]', options: ['out'] },
  { name: 'pattern', says: 'the powder pattern of a model', files: 'model.cif', options: ['wavelength', 'from', 'to'] },
  {
    name: 'fit',
    says: 'fit phases to a powder pattern',
    files: 'pattern.xy',
    options: ['phase', 'instrument', 'recipe', 'wavelength', 'out'],
  },
  {
    name: 'index',
    says: 'find the cell of a powder pattern',
    files: 'peaks.txt',
    options: ['wavelength', 'deviation', 'seconds', 'instrument'],
  },
  {
    name: 'identify',
    says: 'find the phases of a powder pattern',
    files: 'pattern.xy',
    options: ['elements', 'instrument', 'wavelength'],
  },
];

/** A command as it was written: its name ("build slab"), its files and its options by their names on the command line. */
export interface Asked {
  readonly name: string;
  readonly files: readonly string[];
  readonly options: Options & { readonly phase?: readonly string[] };
}

/** What a command line came to: something to do, or a text to show. */
export type Read = { readonly asked: Asked } | { readonly shown: string; readonly code: 0 | 2 };

const kebab = (name: string): string => name.replace(/[A-Z]/g, (c) => `-${c.toLowerCase()}`);

function addCommand(parent: Command, spec: CommandSpec, before: string, take: (asked: Asked) => void): void {
  const name = `${before}${spec.name}`;
  const command = parent.command(spec.name).description(spec.says);
  for (const file of spec.files.split(' ').filter(Boolean))
    command.addArgument(new Argument(file.startsWith('[') ? file : `<${file}>`));
  // Options of a command that has others beneath it would be taken from these.
  if (!spec.ways) for (const option of [...spec.options, 'json' as const]) command.addOption(OPTIONS[option]);
  command.allowExcessArguments(false).configureHelp({ helpWidth: 100 });
  if (spec.ways) {
    for (const way of spec.ways) addCommand(command, way, `${name} `, take);
    return;
  }
  command.action(() => {
    const given = Object.entries(command.opts<Record<string, string | boolean | string[]>>());
    take({ name, files: command.args, options: Object.fromEntries(given.map(([k, v]) => [kebab(k), v])) as Options });
  });
}

/** One sentence for a command line that is not right. */
function sentenceOf(e: CommanderError, at: string): string {
  const quoted = /'([^']*)'/.exec(e.message)?.[1] ?? '';
  const help = `See: nagare help${at ? ` ${at}` : ''}.`;
  switch (e.code) {
    case 'commander.help':
      return `nagare ${at} needs to know what. ${help}`;
    case 'commander.unknownCommand':
      return `"${quoted.slice(0, 60)}" is not a command${at ? ` of nagare ${at}` : ''}. ${help}`;
    case 'commander.unknownOption':
      return `"${quoted.slice(0, 60)}" is not an option of nagare${at ? ` ${at}` : ''}. ${help}`;
    case 'commander.missingArgument':
      return `nagare ${at} needs a file: ${quoted}. ${help}`;
    case 'commander.excessArguments':
      return `nagare ${at} was given more files than it takes. ${help}`;
    case 'commander.optionMissingArgument':
      return `${quoted} needs a value. ${help}`;
    case 'commander.invalidArgument': {
      const [, option, why] =
        /option '(--[a-z-]+)[^']*' argument '[\s\S]*' is invalid\. ([\s\S]*)$/.exec(e.message) ?? [];
      return option ? `${option} ${why}. ${help}` : `${e.message}. ${help}`;
    }
    default:
      return `This command line cannot be read. ${help}`;
  }
}

/** Reads a command line. Throws BadInput with one sentence where it is not right. */
export function readCommandLine(args: readonly string[]): Read {
  let shown = '';
  let asked: Asked | undefined;
  const program = new Command('nagare')
    .description('Crystal structures from a terminal: solve, refine, vet, measure, build, depict, powders.')
    .configureOutput({ writeOut: (t) => (shown += t), writeErr: () => undefined })
    .configureHelp({ helpWidth: 100 })
    .helpCommand('help [command]', 'what a command takes')
    .exitOverride();
  for (const spec of COMMANDS) addCommand(program, spec, '', (a) => (asked = a));
  if (!args.length) return { shown: program.helpInformation(), code: 2 };
  try {
    program.parse(args, { from: 'user' });
  } catch (e) {
    if (!(e instanceof CommanderError)) throw e;
    if (e.exitCode === 0) return { shown: shown.trimEnd(), code: 0 };
    throw new BadInput(sentenceOf(e, commandAt(args)));
  }
  if (asked) return { asked };
  // A command that has others beneath it was named alone.
  return { shown: shown.trimEnd() || program.helpInformation(), code: 2 };
}

/** The command that a line names, as far as it names one. */
function commandAt(args: readonly string[]): string {
  const words = args.filter((a) => !a.startsWith('-'));
  const spec = COMMANDS.find((c) => c.name === words[0]);
  const way = spec?.ways?.find((w) => w.name === words[1]);
  return [spec?.name, way?.name].filter(Boolean).join(' ');
}
