/** Any dropped or pasted text: what it is, said in one sentence before anything happens. */
import { prettySymbol } from '../crystal/settings.ts';
import type { Cell } from '../crystal/cell.ts';
import type { RawReflections } from '../crystal/reflections.ts';
import type { SpaceGroup } from '../crystal/space-group.ts';
import type { Structure } from '../crystal/structure.ts';
import { formulaText } from '../crystal/formula.ts';
import { Asides, type Aside } from './asides.ts';
import { readCell, readExperiment, type SampleRecord } from './cif-data.ts';
import { readPattern } from './cif-pattern.ts';
import { readReflections } from './cif-reflections.ts';
import { readStructure } from './cif-sites.ts';
import { readSpaceGroup } from './cif-symmetry.ts';
import type { Treatment } from '../crystal/treatment.ts';
import { readControls, readTreatment } from './cif-controls.ts';
import { itemsOf } from './cif-items.ts';
import { FileProblem, parseCif, type CifBlock } from './cif-parser.ts';
import { looksLikeReflectionList, parseReflectionList } from './reflection-list.ts';
import { looksLikeXyz, parseXyz, type XyzFrame } from './xyz.ts';
import type { ReadPattern } from './pattern-columns.ts';
import { looksLikePattern, parseInstrument, parsePattern } from './pattern-file.ts';
import { readRangePattern } from './pattern-range.ts';
import { plainText } from './text.ts';
import { USUAL_INSTRUMENT, type Instrument } from '../crystal/pattern.ts';

/** One data block or one list. */
export interface Recognised {
  name: string;
  sentence: string;
  cell?: Cell;
  spaceGroup?: SpaceGroup;
  experiment: SampleRecord;
  raw?: RawReflections;
  structure?: Structure;
  /** Items of the block as written, small loops by their columns: data name in lower case → text. */
  items?: Readonly<Record<string, string>>;
  /** Limits, twins, extinction and solvent that the file's refinement used. */
  treatment?: Treatment;
  powder?: ReadPattern;
  instrument?: Instrument;
  /** What was not taken as it was written. */
  asides?: readonly Aside[];
}

/** The asides as a field, where there are any. */
const told = (asides: Asides): { asides?: readonly Aside[] } => {
  const all = asides.all();
  return all.length ? { asides: all } : {};
};

const thousands = (n: number): string => String(n).replace(/\B(?=(\d{3})+$)/g, '\u2009');

/** Characters before the first data block that are looked through. */
const HEAD = 20_000;

/** Whether a text is a CIF: its first word, past blanks and comments, opens a data block. */
function beginsWithBlock(text: string): boolean {
  for (const line of text.slice(0, HEAD).split('\n')) {
    const word = line.trimStart();
    if (word && !word.startsWith('#')) return /^data_/i.test(word);
  }
  return false;
}

/** Reads a text of unknown kind, whatever its line ends. Throws FileProblem with what is wrong, where and what to do. */
export function recognise(written: string, fileName: string, progress?: (fraction: number) => void): Recognised[] {
  const text = plainText(written);
  const asides = new Asides();
  const base = fileName.replace(/\.[^.]*$/, '') || 'pasted text';
  if (!text.trim()) throw new FileProblem(`${fileName} is empty.`);
  if (text.slice(0, 2000).includes('\u0000'))
    throw new FileProblem(
      `${fileName} is a binary file. Nagare reads CIF, XYZ, plain-text reflection lists and powder patterns, and its own project files.`,
    );
  if (beginsWithBlock(text)) {
    const blocks = parseCif(text, progress);
    const found = blocks.map((b) => recogniseBlock(b, base)).filter((r) => r.raw || r.structure || r.cell || r.powder);
    if (!found.length)
      throw new FileProblem(
        `${fileName} is a CIF but holds neither a cell, reflections, atom sites nor a powder pattern.`,
      );
    return found;
  }
  if (looksLikeXyz(text)) return parseXyz(text, base).map((f) => recognisedFrame(f));
  // Before lists of reflections: rows of counts may look like indices.
  const ranged = readRangePattern(text, base, USUAL_INSTRUMENT.lines[0]!.wavelength, asides);
  if (ranged) return [recognisedPattern(base, ranged, asides)];
  if (looksLikeReflectionList(text)) {
    const { raw, layout } = parseReflectionList(text, { progress, asides });
    return [
      {
        name: base,
        sentence: `${thousands(raw.count)} reflections in ${layout === 'fixed columns' ? 'fixed columns' : 'blank-separated columns'}; the cell and the wavelength are still to be given.`,
        experiment: { kept: {} },
        raw,
        ...told(asides),
      },
    ];
  }
  if (/^\s*\{/.test(text)) {
    const instrument = parseInstrument(text);
    return [
      {
        name: instrument.name,
        sentence: `an instrument: ${instrument.geometry}, λ ${instrument.lines.map((l) => l.wavelength.toFixed(5)).join(' and ')} Å${instrument.calibrated ? `, calibrated with ${instrument.calibrated}` : ''}.`,
        experiment: { kept: {} },
        instrument,
      },
    ];
  }
  if (looksLikePattern(text)) {
    const powder = parsePattern(text, base, undefined, asides);
    return [recognisedPattern(base, powder, asides)];
  }
  const problem = firstOddLine(text);
  throw new FileProblem(
    `${fileName} was not recognised: it is neither a CIF (no data block) nor an XYZ file (a count, a comment, then element x y z) nor a reflection list (h k l I σ) nor a powder pattern (2θ, intensity, s.u.).${problem ? ` The first line that fits neither reads "${problem.text}".` : ''}`,
    problem?.line,
  );
}

const recognisedPattern = (name: string, powder: ReadPattern, asides: Asides): Recognised => ({
  name,
  sentence: patternSentence(powder),
  experiment: { kept: {} },
  powder,
  ...told(asides),
});

function recognisedFrame({ name, structure, periodic }: XyzFrame): Recognised {
  const { cell, spaceGroup, sites } = structure;
  const box = [cell.a, cell.b, cell.c].map((x) => x.toFixed(1)).join(' × ');
  const atoms = `${thousands(sites.length)} ${sites.length === 1 ? 'atom' : 'atoms'}`;
  return {
    name,
    sentence: periodic
      ? `a structure of ${atoms} with its lattice, symmetry not given (P 1).`
      : `a molecule of ${atoms} without a lattice; it is put into a box of ${box} Å.`,
    experiment: { kept: {} },
    cell,
    spaceGroup,
    structure,
  };
}

function firstOddLine(text: string): { line: number; text: string } | undefined {
  const lines = text.slice(0, 5000).split('\n');
  const i = lines.findIndex((l) => l.trim() && !l.trim().startsWith('#'));
  return i < 0 ? undefined : { line: i + 1, text: lines[i]!.trim().slice(0, 60).replace(/"/g, '’') };
}

export const patternSentence = (p: ReadPattern): string => {
  const { twoTheta } = p.pattern;
  return `a powder pattern of ${thousands(twoTheta.length)} points, 2θ ${twoTheta[0]!.toFixed(2)}–${twoTheta[twoTheta.length - 1]!.toFixed(2)}°${p.axis === '2θ' ? '' : ` (read as ${p.axis})`}, ${p.even ? 'even steps' : 'uneven steps'}, s.u. ${p.pattern.sigmaFrom === 'file' ? 'from the file' : 'from counting'}${p.lines ? `, λ ${p.lines[0]!.wavelength} Å` : ''}${p.pattern.at !== undefined ? `, ${p.pattern.at} K` : ''}.`;
};

function recogniseBlock(block: CifBlock, base: string): Recognised {
  const asides = new Asides();
  const cell = readCell(block);
  const experiment = readExperiment(block, asides);
  const spaceGroup = readSpaceGroup(block, cell, asides);
  const reflections = readReflections(block, asides);
  const bare = readStructure(block, asides);
  const structure = bare && readControls(block, bare, asides);
  const treatment = readTreatment(block, asides);
  const measured = readPattern(block, block.name || base, asides);
  const powder = measured && { ...measured.file, ...(measured.lines ? { lines: measured.lines } : {}) };
  const parts: string[] = [];
  if (reflections) parts.push(`${thousands(reflections.raw.count)} reflections (${reflections.origin})`);
  if (powder) parts.push(patternSentence(powder).slice(0, -1));
  if (structure)
    parts.push(`a structure of ${structure.sites.length} sites in ${prettySymbol(structure.spaceGroup.symbol)}`);
  if (!reflections && !structure && !powder && cell) parts.push('a cell');
  const details = [
    experiment.formula && formulaText(experiment.formula),
    experiment.wavelength && `λ ${experiment.wavelength.toFixed(4)} Å`,
    experiment.temperature && `${experiment.temperature} K`,
  ].filter(Boolean);
  return {
    name: block.name || base,
    sentence: `${parts.join(' and ')}${details.length ? `; ${details.join(', ')}` : ''}.`,
    experiment,
    ...(cell ? { cell } : {}),
    ...(spaceGroup ? { spaceGroup } : {}),
    ...(reflections ? { raw: reflections.raw } : {}),
    ...(structure ? { structure, items: itemsOf(block) } : {}),
    ...(treatment ? { treatment } : {}),
    ...(powder ? { powder } : {}),
    ...told(asides),
  };
}
