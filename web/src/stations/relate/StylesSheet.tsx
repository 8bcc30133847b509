/** How atoms look: all of them, or those selected; what is written beside them and what their colours tell. */
import type { ReactNode } from 'react';
import { COLOUR_RULES, type ColourRule } from '@nagare/core/draw/colouring';
import { LABEL_RULES, type LabelRule } from '@nagare/core/draw/label-rules';
import type { AtomLook, AtomStyle, StyleRule } from '@nagare/core/draw/style';
import { LOOKS } from '../../scene/looks-words.ts';
import { NumberField, Sheet } from '../../frame/parts.tsx';
import { useProject } from '../../store/use-project.tsx';

const LABEL_WORDS: Readonly<Record<LabelRule, string>> = {
  label: 'labels of the sites',
  element: 'elements',
  site: 'positions (4f)',
  charge: 'charges',
  occupancy: 'occupancies below one',
  valence: 'bond-valence sums',
  displacement: 'displacements, Å²',
  'label with code': 'labels, copies numbered',
  none: 'nothing',
};
const COLOUR_WORDS: Readonly<Record<ColourRule, string>> = {
  element: 'their element',
  site: 'their site',
  molecule: 'their molecule',
  group: 'their disorder group',
  charge: 'their charge, red to blue',
  occupancy: 'their occupancy, blue full to red empty',
  displacement: 'their displacement, blue small to red large',
};
/** Colours at hand for a selection. */
const HUES = ['#2b7f8c', '#c8452b', '#a9761a', '#3f6b4f', '#7a5a9e', '#3f66b0', '#8a8f94'];

export function StylesSheet(): ReactNode {
  const { view, setView, looks } = useProject('view', 'setView', 'looks');
  const parts = looks.rules.length;
  return (
    <Sheet
      title="Looks"
      fold
      shut
      state={`Coloured by ${COLOUR_WORDS[view.colourBy]}, beside them ${LABEL_WORDS[view.labels]}${parts ? `; ${parts} ${parts === 1 ? 'part looks' : 'parts look'} different` : ''}.`}
    >
      <div className="pairs-of-fields">
        <label htmlFor="colour-by">Colours tell</label>
        <select
          id="colour-by"
          className="form-select form-select-sm"
          value={view.colourBy}
          onChange={(e) => setView({ colourBy: e.target.value as ColourRule })}
        >
          {COLOUR_RULES.map((r) => (
            <option key={r} value={r}>
              {COLOUR_WORDS[r]}
            </option>
          ))}
        </select>
        <label htmlFor="label-rule">Beside atoms</label>
        <select
          id="label-rule"
          className="form-select form-select-sm"
          value={view.labels}
          onChange={(e) => setView({ labels: e.target.value as LabelRule })}
        >
          {LABEL_RULES.map((r) => (
            <option key={r} value={r}>
              {LABEL_WORDS[r]}
            </option>
          ))}
        </select>
        <label htmlFor="ball-size">Size of balls and sticks</label>
        <NumberField
          id="ball-size"
          value={view.size}
          digits={2}
          step={0.05}
          min={0.2}
          max={3}
          onChange={(size) => setView({ size })}
        />
      </div>
      <label className="word">
        <input
          type="checkbox"
          checked={view.showHydrogen}
          onChange={() => setView({ showHydrogen: !view.showHydrogen })}
        />{' '}
        hydrogens
      </label>
      <SelectionStyle />
      <PartsList />
    </Sheet>
  );
}

function SelectionStyle(): ReactNode {
  const { selection, looks, setLooks, view } = useProject('selection', 'looks', 'setLooks', 'view');
  if (!selection.length) return <p className="soft mb-0">Select atoms to give them a look of their own.</p>;
  const last = looks.rules.at(-1);
  const own = last?.which.kind === 'selection' && last.which.atoms === selection ? last : undefined;
  const give = (style: Partial<AtomStyle>): void => {
    const rule: StyleRule = { which: { kind: 'selection', atoms: selection }, style: { ...own?.style, ...style } };
    setLooks('looks of a selection', { rules: [...(own ? looks.rules.slice(0, -1) : looks.rules), rule] });
  };
  return (
    <div className="selection-style">
      <span className="soft">
        The {selection.length} selected {selection.length === 1 ? 'atom' : 'atoms'}:
      </span>
      <select
        aria-label="How the selected atoms are drawn"
        className="form-select form-select-sm"
        value={own?.style.look ?? ''}
        onChange={(e) => give({ look: e.target.value as AtomLook })}
      >
        <option value="" disabled>
          as the others
        </option>
        {LOOKS.map(([value, name]) => (
          <option key={value} value={value}>
            {name}
          </option>
        ))}
      </select>
      <span className="hues">
        {HUES.map((colour) => (
          <button
            key={colour}
            className="hue"
            style={{ background: colour }}
            aria-label={`Colour ${colour}`}
            aria-pressed={own?.style.colour === colour}
            onClick={() => give({ colour })}
          />
        ))}
      </span>
      <label className="d-inline-flex align-items-center gap-1">
        size
        <input
          type="range"
          min={0.3}
          max={2.5}
          step={0.05}
          value={own?.style.size ?? view.size}
          onChange={(e) => give({ size: Number(e.target.value) })}
        />
      </label>
      <label className="d-inline-flex align-items-center gap-1">
        solid
        <input
          type="range"
          min={0.15}
          max={1}
          step={0.05}
          value={own?.style.opacity ?? 1}
          onChange={(e) => give({ opacity: Number(e.target.value) })}
        />
      </label>
    </div>
  );
}

/** Parts that were given looks, each with a way back. */
function PartsList(): ReactNode {
  const { looks, setLooks, select } = useProject('looks', 'setLooks', 'select');
  return looks.rules.map((r, i) => (
    <p key={i} className="mb-0">
      <button className="word" onClick={() => r.which.kind === 'selection' && select(r.which.atoms)}>
        {r.which.kind === 'selection' ? `${r.which.atoms.length} atoms` : 'Some atoms'}
      </button>
      : {styleWords(r.style)}{' '}
      <button
        className="word off"
        onClick={() => setLooks('looks taken back', { rules: looks.rules.filter((_, j) => j !== i) })}
      >
        As the others
      </button>
    </p>
  ));
}

function styleWords(style: Partial<AtomStyle>): ReactNode {
  const look = LOOKS.find(([value]) => value === style.look)?.[1].toLowerCase();
  return (
    <>
      {[
        look,
        style.size === undefined ? undefined : `${Math.round(100 * style.size)} % of the size`,
        style.opacity !== undefined && style.opacity < 1 ? `${Math.round(100 * style.opacity)} % solid` : undefined,
      ]
        .filter(Boolean)
        .join(', ')}
      {style.colour && <span className="hue still" style={{ background: style.colour }} />}
    </>
  );
}
