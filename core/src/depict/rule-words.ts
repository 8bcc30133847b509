/** Rules of a figure as sentences. */
import type { Structure } from '../crystal/structure.ts';
import { ATOM_LOOKS, type AtomLook, type AtomStyle, type Which, type BondLook } from '../draw/style.ts';
import type { Chosen, FigureRule } from './figure.ts';

const NET_NAMES = ['molecules and lone ions', 'chains', 'layers', 'frameworks'] as const;

const list = (words: readonly string[], last = 'and'): string =>
  words.length < 2 ? (words[0] ?? 'nothing') : `${words.slice(0, -1).join(', ')} ${last} ${words.at(-1)}`;

/** How many names are said before the rest are counted. */
const MOST_NAMES = 4;

function names(s: Structure, ids: readonly string[]): string {
  const labels = [...new Set(ids)].map((id) => s.sites.find((x) => x.id === id)?.label ?? 'gone');
  const said = labels.slice(0, MOST_NAMES);
  return labels.length > MOST_NAMES ? `${said.join(', ')} and ${labels.length - MOST_NAMES} more` : list(said);
}

/** What is chosen, as the subject of a sentence. */
export function whichWords(s: Structure, which: Which): string {
  switch (which.kind) {
    case 'all':
      return 'everything';
    case 'element':
      return list(which.elements);
    case 'site':
      return names(s, which.sites);
    case 'group':
      return `disorder group ${list(which.groups)}`;
    case 'lesser groups':
      return 'lesser disorder groups';
    case 'molecule':
      return `the molecule of ${names(
        s,
        which.of.map((a) => a.site),
      )}`;
    case 'selection':
      return `${which.atoms.length} chosen ${which.atoms.length === 1 ? 'atom' : 'atoms'} (${names(
        s,
        which.atoms.map((a) => a.site),
      )})`;
    case 'coordination':
      return `${which.elements.length ? list(which.elements, 'or') : 'atoms'} with ${which.number} neighbours`;
    case 'bonded to':
      return `what is bonded to ${list(which.elements, 'or')}`;
    case 'near':
      return `what lies within ${which.distance} Å of ${list(which.elements, 'or')}`;
    case 'nets':
      return NET_NAMES[which.dimension];
    case 'copies':
      return 'copies by symmetry';
    case 'originals':
      return 'the atoms of the model';
  }
}

export const chosenWords = (s: Structure, { which, others }: Chosen): string =>
  others ? `everything but ${whichWords(s, which)}` : whichWords(s, which);

const LOOK_WORDS: Readonly<Record<AtomLook, string>> = {
  ellipsoids: 'ellipsoids',
  balls: 'balls and sticks',
  sticks: 'sticks',
  lines: 'lines',
  'space-filling': 'space-filling',
};

export const LOOK_CHOICES = ATOM_LOOKS.map((id) => ({ id, name: LOOK_WORDS[id] }));

function bondWords({ hidden, hollow, colouring }: BondLook): string {
  if (hidden) return 'without bonds';
  const name = hollow ? 'hollow bonds' : 'bonds';
  if (colouring === 'length') return `${name} by their length`;
  if (colouring === 'kind') return `${name} by what is bonded`;
  return hollow ? name : 'bonds of their own';
}

function styleWords(style: Partial<AtomStyle>): string[] {
  const { look, probability, open, size, colour, opacity, fade, hidden, bonds } = style;
  return [
    ...(hidden ? ['not drawn'] : []),
    ...(look
      ? [look === 'ellipsoids' && probability ? `ellipsoids at ${Math.round(100 * probability)} %` : LOOK_WORDS[look]]
      : []),
    ...(open ? ['cut open'] : []),
    ...(size !== undefined && size !== 1 ? [`${size.toFixed(2)} times as large`] : []),
    ...(colour ? [`in ${colour}`] : []),
    ...(opacity !== undefined && opacity < 1 ? [`${Math.round(100 * opacity)} % solid`] : []),
    ...(fade ? [`faded by ${Math.round(100 * fade)} %`] : []),
    ...(bonds ? [bondWords(bonds)] : []),
  ];
}

/** What a rule does, as the rest of its sentence. */
export function doesWords(rule: FigureRule): string {
  const words = [
    ...styleWords(rule.style),
    ...(rule.polyhedra ? [rule.polyhedra.edgeWidth ? 'polyhedra with edges' : 'polyhedra'] : []),
  ];
  return words.length ? words.join(', ') : 'as the rules before say';
}
