/** Several numbers of one kind in a row: indices, multiples, constants, components of a vector. */
import type { ReactNode } from 'react';
import { NumberField } from './parts.tsx';

interface NumberRowProps {
  readonly id: string;
  /** Of each field, read aloud. */
  readonly labels: readonly string[];
  readonly values: readonly number[];
  readonly digits: number;
  readonly step: number;
  readonly min?: number;
  readonly max?: number;
  onChange(values: number[]): void;
}

export function NumberRow({ id, labels, values, digits, step, min, max, onChange }: NumberRowProps): ReactNode {
  return labels.map((label, k) => (
    <NumberField
      key={label}
      id={`${id}-${k}`}
      label={label}
      value={values[k]}
      digits={digits}
      step={step}
      {...(min === undefined ? {} : { min })}
      {...(max === undefined ? {} : { max })}
      onChange={(x) => onChange(values.map((y, i) => (i === k ? (digits ? x : Math.round(x)) : y)))}
    />
  ));
}
