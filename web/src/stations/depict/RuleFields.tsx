/** What a rule does, in fields. */
import type { ReactNode } from 'react';
import type { FigureRule, PolyhedraLook } from '@nagare/core/depict/figure';
import { LOOK_CHOICES } from '@nagare/core/depict/rule-words';
import { BOND_COLOURINGS, PLAIN_BONDS, type AtomLook, type AtomStyle, type BondLook } from '@nagare/core/draw/style';

export const HUES = [
  '#23456b',
  '#2b7f8c',
  '#3f6b4f',
  '#a9761a',
  '#c8452b',
  '#7a5a9e',
  '#b0476a',
  '#8a8f94',
  '#1f2a33',
  '#e9e5da',
] as const;

const BOND_WORDS: Readonly<Record<(typeof BOND_COLOURINGS)[number], string>> = {
  halves: 'each half as its atom',
  plain: 'one colour',
  length: 'short to long',
  kind: 'by what is bonded',
};

export interface ColourFieldProps {
  readonly label: string;
  readonly colour: string | undefined;
  /** What no colour of its own means; left out where there must be one. */
  readonly none?: string;
  onChange(colour: string | undefined): void;
}

/** A colour from those at hand, or any other. */
export function ColourField({ label, colour, none, onChange }: ColourFieldProps): ReactNode {
  return (
    <span className="hues" role="group" aria-label={label}>
      {none !== undefined && (
        <button className="chip" aria-pressed={colour === undefined} onClick={() => onChange(undefined)}>
          {none}
        </button>
      )}
      {HUES.map((hue) => (
        <button
          key={hue}
          className="hue"
          style={{ background: hue }}
          aria-label={`${label} ${hue}`}
          aria-pressed={colour === hue}
          onClick={() => onChange(hue)}
        />
      ))}
      <input
        type="color"
        aria-label={`${label}, any`}
        value={colour ?? '#888888'}
        onChange={(e) => onChange(e.target.value)}
      />
    </span>
  );
}

interface SliderProps {
  readonly label: string;
  readonly value: number;
  readonly from: number;
  readonly to: number;
  readonly step: number;
  readonly text: string;
  onChange(value: number): void;
}

export function Slider({ label, value, from, to, step, text, onChange }: SliderProps): ReactNode {
  return (
    <label className="slider">
      <span className="soft">{label}</span>
      <input
        type="range"
        aria-label={label}
        min={from}
        max={to}
        step={step}
        value={value}
        onChange={(e) => onChange(Number(e.target.value))}
      />
      <span className="mono">{text}</span>
    </label>
  );
}

const percent = (x: number): string => `${Math.round(100 * x)} %`;

/** A style without one of its fields. */
function without<K extends keyof AtomStyle>(style: Partial<AtomStyle>, key: K): Partial<AtomStyle> {
  const { [key]: _, ...rest } = style;
  return rest as Partial<AtomStyle>;
}

interface RuleFieldsProps {
  readonly rule: FigureRule;
  onChange(rule: FigureRule): void;
}

export function RuleFields({ rule, onChange }: RuleFieldsProps): ReactNode {
  const { style } = rule;
  const give = (change: Partial<AtomStyle>): void => onChange({ ...rule, style: { ...style, ...change } });
  const drop = (key: keyof AtomStyle): void => onChange({ ...rule, style: without(style, key) });
  const look = style.look;
  return (
    <div className="rule-fields">
      <div className="pair">
        <span className="soft">drawn as</span>
        <select
          className="form-select form-select-sm"
          aria-label="Drawn as"
          value={style.hidden ? 'hidden' : (look ?? '')}
          onChange={(e) => {
            const value = e.target.value;
            if (value === 'hidden') give({ hidden: true });
            else if (value === '') onChange({ ...rule, style: without(without(style, 'look'), 'hidden') });
            else onChange({ ...rule, style: { ...without(style, 'hidden'), look: value as AtomLook } });
          }}
        >
          <option value="">as before</option>
          {LOOK_CHOICES.map(({ id, name }) => (
            <option key={id} value={id}>
              {name}
            </option>
          ))}
          <option value="hidden">not at all</option>
        </select>
      </div>
      {look === 'ellipsoids' && (
        <>
          <Slider
            label="probability"
            value={style.probability ?? 0.5}
            from={0.1}
            to={0.99}
            step={0.01}
            text={percent(style.probability ?? 0.5)}
            onChange={(probability) => give({ probability })}
          />
          <label className="word">
            <input type="checkbox" checked={!!style.open} onChange={() => give({ open: !style.open })} /> cut open
            towards the viewer
          </label>
        </>
      )}
      <ColourField
        label="Colour"
        colour={style.colour}
        none="its own"
        onChange={(colour) => (colour ? give({ colour }) : drop('colour'))}
      />
      <Slider
        label="size"
        value={style.size ?? 1}
        from={0.2}
        to={3}
        step={0.05}
        text={(style.size ?? 1).toFixed(2)}
        onChange={(size) => give({ size })}
      />
      <Slider
        label="solid"
        value={style.opacity ?? 1}
        from={0.05}
        to={1}
        step={0.05}
        text={percent(style.opacity ?? 1)}
        onChange={(opacity) => give({ opacity })}
      />
      <Slider
        label="faded"
        value={style.fade ?? 0}
        from={0}
        to={0.95}
        step={0.05}
        text={percent(style.fade ?? 0)}
        onChange={(fade) => give({ fade })}
      />
      <PolyhedraFields rule={rule} onChange={onChange} />
      <BondFields bonds={style.bonds} onChange={(bonds) => (bonds ? give({ bonds }) : drop('bonds'))} />
      <label className="pair">
        <span className="soft">in the legend</span>
        <input
          className="form-control form-control-sm"
          placeholder="by its atoms"
          value={rule.name ?? ''}
          onChange={(e) => {
            const { name: _, ...rest } = rule;
            onChange(e.target.value ? { ...rest, name: e.target.value } : rest);
          }}
        />
      </label>
    </div>
  );
}

const FIRST_POLYHEDRA: PolyhedraLook = { opacity: 0.8, edgeWidth: 0.8, showCentre: false };

function PolyhedraFields({ rule, onChange }: RuleFieldsProps): ReactNode {
  const { polyhedra } = rule;
  const flip = (): void => {
    const { polyhedra: _, ...rest } = rule;
    onChange(polyhedra ? rest : { ...rule, polyhedra: FIRST_POLYHEDRA });
  };
  const give = (change: Partial<PolyhedraLook>): void =>
    onChange({ ...rule, polyhedra: { ...(polyhedra ?? FIRST_POLYHEDRA), ...change } });
  const colour = (key: 'colour' | 'edgeColour', value: string | undefined): void => {
    const { [key]: _, ...rest } = polyhedra ?? FIRST_POLYHEDRA;
    onChange({ ...rule, polyhedra: value ? { ...rest, [key]: value } : rest });
  };
  return (
    <fieldset>
      <label className="word">
        <input type="checkbox" checked={!!polyhedra} onChange={flip} /> polyhedra around them
      </label>
      {polyhedra && (
        <>
          <Slider
            label="faces"
            value={polyhedra.opacity}
            from={0.05}
            to={1}
            step={0.05}
            text={percent(polyhedra.opacity)}
            onChange={(opacity) => give({ opacity })}
          />
          <ColourField
            label="Face colour"
            colour={polyhedra.colour}
            none="the atom’s"
            onChange={(c) => colour('colour', c)}
          />
          <Slider
            label="edges"
            value={polyhedra.edgeWidth}
            from={0}
            to={4}
            step={0.2}
            text={polyhedra.edgeWidth ? `${polyhedra.edgeWidth.toFixed(1)} px` : 'none'}
            onChange={(edgeWidth) => give({ edgeWidth })}
          />
          <ColourField
            label="Edge colour"
            colour={polyhedra.edgeColour}
            none="darker"
            onChange={(c) => colour('edgeColour', c)}
          />
          <label className="word">
            <input
              type="checkbox"
              checked={polyhedra.showCentre}
              onChange={() => give({ showCentre: !polyhedra.showCentre })}
            />{' '}
            the atom inside too
          </label>
        </>
      )}
    </fieldset>
  );
}

function BondFields({
  bonds,
  onChange,
}: {
  readonly bonds: BondLook | undefined;
  onChange(bonds: BondLook | undefined): void;
}): ReactNode {
  const give = (change: Partial<BondLook>): void => onChange({ ...(bonds ?? PLAIN_BONDS), ...change });
  return (
    <fieldset>
      <label className="word">
        <input type="checkbox" checked={!!bonds} onChange={() => onChange(bonds ? undefined : PLAIN_BONDS)} /> bonds of
        their own
      </label>
      {bonds && (
        <>
          <div className="pair">
            <span className="soft">coloured</span>
            <select
              className="form-select form-select-sm"
              aria-label="Bonds coloured"
              value={bonds.hidden ? 'hidden' : bonds.colouring}
              onChange={(e) => {
                const colouring = BOND_COLOURINGS.find((c) => c === e.target.value);
                give(colouring ? { colouring, hidden: false } : { hidden: true });
              }}
            >
              {BOND_COLOURINGS.map((c) => (
                <option key={c} value={c}>
                  {BOND_WORDS[c]}
                </option>
              ))}
              <option value="hidden">not drawn</option>
            </select>
          </div>
          {bonds.colouring === 'plain' && (
            <ColourField
              label="Bond colour"
              colour={bonds.colour}
              onChange={(colour) => give({ colour: colour ?? '#8a8f94' })}
            />
          )}
          <label className="word">
            <input type="checkbox" checked={!!bonds.hollow} onChange={() => give({ hollow: !bonds.hollow })} /> hollow
          </label>
          <Slider
            label="thick"
            value={bonds.size}
            from={0.2}
            to={3}
            step={0.1}
            text={bonds.size.toFixed(1)}
            onChange={(size) => give({ size })}
          />
          <div className="pair">
            <span className="soft">dashed</span>
            <select
              className="form-select form-select-sm"
              aria-label="Bonds dashed"
              value={bonds.dashes}
              onChange={(e) => give({ dashes: e.target.value as BondLook['dashes'] })}
            >
              <option value="none">none</option>
              <option value="partial">those of places that are not full</option>
              <option value="all">all</option>
            </select>
          </div>
        </>
      )}
    </fieldset>
  );
}
