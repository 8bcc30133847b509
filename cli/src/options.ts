/** The options of the terminal's commands: what each takes, checked as it is read. */
import { InvalidArgumentError, Option } from 'commander';

/** A number within its range. */
export interface Range {
  readonly low: number;
  readonly high: number;
  readonly whole?: boolean;
  /** The lower end itself is left out. */
  readonly above?: boolean;
}

const rangeWords = ({ low, high, whole, above }: Range): string =>
  `a ${whole ? 'whole ' : ''}number ${above ? `above ${low} and up to` : `from ${low} to`} ${high}`;

/** Reads a number; text stays text, since commands read it again with their own words. */
function numberText(range: Range): (text: string) => string {
  return (text) => {
    const value = /^[+-]?(\d+(\.\d*)?|\.\d+)(e[+-]?\d+)?$/i.test(text) && text.length < 40 ? Number(text) : NaN;
    const inside = range.above ? value > range.low : value >= range.low;
    if (inside && value <= range.high && (!range.whole || Number.isInteger(value))) return String(value);
    throw new InvalidArgumentError(`needs ${rangeWords(range)}, not "${text.slice(0, 40)}"`);
  };
}

const LONGEST_TEXT = 4000;

function shortText(text: string): string {
  if (/^--[a-z]/.test(text)) throw new InvalidArgumentError(`needs a value before "${text.slice(0, 40)}"`);
  if (text.length <= LONGEST_TEXT) return text;
  throw new InvalidArgumentError('is too long');
}

const text = (flags: string, says: string): Option => new Option(flags, says).argParser(shortText);
const number = (flags: string, says: string, range: Range): Option =>
  new Option(flags, says).argParser(numberText(range));
const flag = (flags: string, says: string): Option => new Option(flags, says);

/** Every option by a name of its own; commands take those that they know. */
export const OPTIONS = {
  json: flag('--json', 'the answer as JSON'),
  out: text('--out <file>', 'where the result is written'),
  formula: text('--formula <formula>', 'contents, as "C14 H16 N2 O3"'),
  z: number('--z <n>', 'formula units in the cell', { low: 1, high: 10_000, whole: true }),
  spaceGroup: text('--space-group <symbol>', 'as "P 1 21/c 1"'),
  seed: number('--seed <n>', 'a start of its own', { low: 1, high: 1_000_000, whole: true }),
  seconds: number('--seconds <s>', 'time at most', { low: 0, high: 86_400, above: true }),
  adp: text('--adp <kind>', 'iso or aniso'),
  cycles: number('--cycles <n>', 'cycles at most', { low: 1, high: 500, whole: true }),
  disorder: text('--disorder <how>', 'try or ask'),
  basis: text('--basis <name>', '"6-31G(d,p)", double-zeta, triple-zeta …'),
  method: text('--method <name>', 'hf, lda, gga or hybrid'),
  charge: number('--charge <n>', 'of the molecule', { low: -50, high: 50, whole: true }),
  spin: number('--spin <n>', 'multiplicity, 2S + 1', { low: 1, high: 30, whole: true }),
  division: text('--division <which>', 'stockholder or iterated: how the density is divided'),
  whole: flag('--whole', 'large molecules in one wavefunction, not in parts'),
  neighbours: text('--neighbours <which>', 'hydrogen-bonded, field or none'),
  level: text('--level <how>', 'quick, good (usual) or best'),
  hydrogens: text('--hydrogens <how>', 'free or anisotropic'),
  near: number('--tolerance <Å>', 'how far atoms may be off', { low: 0, high: 5, above: true }),
  deviation: number('--tolerance <°>', 'how far lines may be off in 2θ', { low: 0, high: 5, above: true }),
  rings: flag('--rings', 'rings and their planes too'),
  reach: number('--reach <Å>', 'between rings', { low: 0, high: 50, above: true }),
  centre: text('--centre <element>', 'of these centres only'),
  definition: text('--definition <file>', 'of a contact, as JSON'),
  probe: number('--probe <Å>', 'radius of the probe', { low: 0, high: 20 }),
  grid: number('--grid <Å>', 'step of the map', { low: 0.05, high: 2 }),
  energies: flag('--energies', 'by attachment energies'),
  probes: text('--probes <kinds>', 'donor,acceptor,halogen …'),
  wishSite: text('--site <label>', 'of one atom'),
  figure: text('--figure <file>', 'a figure that was saved'),
  view: text('--view <direction>', 'c, "1 1 0" or "[1 1 0]"'),
  extent: text('--extent <part>', 'cell, closed, packed, molecules, unique or block:2,2,1'),
  style: text('--style <rules>', '"sticks,polyhedra:Ti,no hydrogens"'),
  width: text('--width <pixels>', 'from 50 to 12000'),
  rays: flag('--rays', 'with shadows'),
  matrix: text('--matrix <rows>', 'as "2,0,0;0,2,0;0,0,1"'),
  plane: text('--plane <hkl>', 'as 1,1,1'),
  layers: number('--layers <n>', 'thickness', { low: 1, high: 1000, whole: true }),
  vacuum: number('--vacuum <Å>', 'empty space', { low: 0, high: 1000 }),
  normal: flag('--normal', 'third axis along the normal'),
  oblique: flag('--oblique', 'third axis as in the crystal'),
  termination: number('--termination <k>', 'which cut', { low: 0, high: 10_000, whole: true }),
  remedy: text('--remedy <how>', 'of a polar slab: alike, moved or hydrogens'),
  inPlane: text('--in-plane <rows>', 'as "2,0;0,1"'),
  count: number('--count <n>', 'layers', { low: 1, high: 1000, whole: true }),
  atoms: number('--atoms <n>', 'in the common cell at most', { low: 1, high: 100_000, whole: true }),
  strain: number('--strain <%>', 'at most', { low: 0, high: 50, above: true }),
  twist: text('--twist <°>', 'of the upper layer'),
  distance: number('--distance <Å>', 'between layers', { low: 0, high: 100, above: true }),
  tensor: text('--tensor <six>', 'strain in %'),
  constants: text('--cell <constants>', 'as "4,4,5,90,90,90"'),
  group: text('--group <symbol>', 'as "F d -3 m"'),
  sites: text('--sites <file>', 'a table of sites'),
  origin: text('--origin <which>', '1, 2 or judge'),
  site: text('--site <label>', 'which site'),
  element: text('--element <symbol>', 'what comes there'),
  rescale: flag('--rescale', 'cell by the radii'),
  setting: text('--setting <setting>', 'standard, a symbol, or "matrix;shift"'),
  wavelength: number('--wavelength <Å>', 'of the X-rays', { low: 0.1, high: 5 }),
  from: number('--from <°>', 'least 2θ', { low: 0, high: 180, above: true }),
  to: number('--to <°>', 'largest 2θ', { low: 0, high: 180, above: true }),
  phase: new Option('--phase <file>', 'a structure; once for each phase').argParser(
    (value: string, before: string[] | undefined) => [...(before ?? []), shortText(value)],
  ),
  instrument: text('--instrument <file>', 'as Nagare wrote it'),
  recipe: text('--recipe <name>', 'quantify, cell, size, structure or profile'),
  elements: text('--elements <list>', 'as Zn,Ti,O'),
} as const;

export type OptionName = keyof typeof OPTIONS;
