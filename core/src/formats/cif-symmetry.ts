/** The space group of a data block, from its operators or its symbols. */
import { nameGroup } from '../crystal/identify.ts';
import { intrinsicTranslation, parseXyz, rotationType, type Operator } from '../crystal/operator.ts';
import type { Cell } from '../crystal/cell.ts';
import {
  findSetting,
  groupOfSetting,
  prettySymbol,
  referenceSetting,
  SETTINGS,
  type Setting,
} from '../crystal/settings.ts';
import { metricFits } from '../crystal/group-cell.ts';
import { Asides } from './asides.ts';
import { spaceGroupFromOperators, type SpaceGroup } from '../crystal/space-group.ts';
import { FileProblem, itemText, loopOrRow, type CifBlock, type CifLoop } from './cif-parser.ts';

/** Rows of a list of operators that are read; a group has at most 192, and files may write some of them twice. */
const MOST_OPERATORS = 768;
/** Largest denominator of a translation in a lattice that a crystallographer would write down. */
const LARGEST_DENOMINATOR = 24;

const OPERATORS = ['_space_group_symop_', '_symmetry_equiv_pos_'];
const TAGS = ['_space_group_symop_operation_xyz', '_symmetry_equiv_pos_as_xyz'];
const SYMBOLS = [
  '_space_group_name_hall',
  '_symmetry_space_group_name_hall',
  '_space_group_name_h-m_alt',
  '_symmetry_space_group_name_h-m',
  '_space_group_name_h-m_full',
];

const isSimpleFraction = (x: number): boolean => {
  for (let d = 1; d <= LARGEST_DENOMINATOR; d++) if (Math.abs(Math.round(x * d) - x * d) < 1e-4 * d) return true;
  return false;
};

/** Throws SyntaxError where an operator cannot belong to a space group. */
function checkOperator(o: Operator, text: string): Operator {
  if (!o.r.every((x) => Number.isInteger(x)))
    throw new SyntaxError(`The symmetry operator "${text}" multiplies a coordinate by a fraction.`);
  try {
    rotationType(o.r);
  } catch {
    throw new SyntaxError(`"${text}" is neither a rotation nor a reflection of a lattice.`);
  }
  const odd = intrinsicTranslation(o).find((x) => !isSimpleFraction(x));
  if (odd !== undefined)
    throw new SyntaxError(
      `The symmetry operator "${text}" moves by ${Number(odd.toFixed(6))} of an axis, which is no simple fraction; repeated, it would fill space.`,
    );
  return o;
}

function operatorsOf(loop: CifLoop): Operator[] {
  const column = loop.tags.findIndex((t) => TAGS.includes(t));
  const rows = loop.values.length / loop.tags.length;
  if (rows > MOST_OPERATORS)
    throw new FileProblem(
      `${rows} symmetry operators are listed, but a space group has at most 192. Keep those of one cell.`,
      loop.line,
    );
  return Array.from({ length: rows }, (_, i) => {
    const at = i * loop.tags.length + column;
    const text = loop.values[at]!;
    try {
      return checkOperator(parseXyz(text), text);
    } catch (e) {
      throw new FileProblem((e as Error).message, loop.lineOf(at));
    }
  });
}

const NUMBERS = ['_space_group_it_number', '_symmetry_int_tables_number'];

/** The setting on rhombohedral axes where the cell has those and the symbol does not tell. */
function byAxesOf(cell: Cell | undefined, setting: Setting): Setting {
  if (!cell || setting.code !== 'H' || metricFits(cell, groupOfSetting(setting))) return setting;
  const other = SETTINGS.find((s) => s.number === setting.number && s.code === 'R');
  return other && metricFits(cell, groupOfSetting(other)) ? other : setting;
}

/**
 * The space group of a block from its operators or, failing those, its symbols or its number; undefined when none is
 * given. The cell tells hexagonal from rhombohedral axes where a symbol does not. Throws FileProblem.
 */
export function readSpaceGroup(block: CifBlock, cell?: Cell, asides = new Asides()): SpaceGroup | undefined {
  const loop = OPERATORS.map((prefix) => loopOrRow(block, prefix, ...TAGS.filter((t) => t.startsWith(prefix)))).find(
    (found) => found,
  );
  if (loop) {
    const operators = operatorsOf(loop);
    try {
      return nameGroup(spaceGroupFromOperators(operators));
    } catch (e) {
      throw new FileProblem((e as Error).message, loop.line);
    }
  }
  for (const tag of SYMBOLS) {
    const text = itemText(block, tag);
    const setting = text && text.length < 100 && findSetting(text);
    if (setting) return groupOfSetting(/:/.test(text) ? setting : byAxesOf(cell, setting));
  }
  return groupOfNumber(block, cell, asides);
}

function groupOfNumber(block: CifBlock, cell: Cell | undefined, asides: Asides): SpaceGroup | undefined {
  const text = NUMBERS.map((tag) => itemText(block, tag)).find((t) => t && /^\d{1,3}$/.test(t));
  const number = Number(text);
  if (!text || number < 1 || number > 230) return undefined;
  const group = groupOfSetting(byAxesOf(cell, referenceSetting(number)));
  asides.add(
    `the space group is told by its number ${number} only: ${prettySymbol(group.symbol)} was taken, its standard setting. Check it against the cell.`,
  );
  return group;
}
