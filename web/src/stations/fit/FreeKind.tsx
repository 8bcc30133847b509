/** All values of one kind, freed or held at once. */
import { type ReactNode } from 'react';
import { type PhaseModel } from '@nagare/core/powder/model';

export function FreeKind({
  name,
  label,
  phase,
  free,
  setFree,
}: {
  name: string;
  label: string;
  phase: PhaseModel;
  free: ReadonlySet<string>;
  setFree(key: string): (on: boolean) => void;
}): ReactNode {
  const key = `${name}:${phase.id}`;
  return (
    <label className="me-3">
      <input
        type="checkbox"
        className="form-check-input"
        checked={free.has(key) || free.has(name)}
        onChange={(e) => setFree(key)(e.target.checked)}
      />{' '}
      {label}
    </label>
  );
}
