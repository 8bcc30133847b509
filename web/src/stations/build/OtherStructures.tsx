/** A choice among the structures of other marks and projects. */
import type { ReactNode } from 'react';
import type { useOtherStructures } from '../../store/other-structures.ts';

interface OtherStructuresProps {
  readonly value: string;
  /** What the empty choice means. */
  readonly here: string;
  readonly others: ReturnType<typeof useOtherStructures>;
  onChange(choice: string): void;
}

export function OtherStructures({ value, here, others, onChange }: OtherStructuresProps): ReactNode {
  const options = (list: readonly (readonly [string, string])[]): ReactNode =>
    list.map(([key, name]) => (
      <option key={key} value={key}>
        {name}
      </option>
    ));
  return (
    <select
      className="form-select form-select-sm"
      aria-label="Whose layer or molecule"
      value={value}
      onChange={(e) => onChange(e.target.value)}
    >
      <option value="">{here}</option>
      {others.marks.length > 0 && <optgroup label="Marks">{options(others.marks)}</optgroup>}
      {others.projects.length > 0 && <optgroup label="Projects">{options(others.projects)}</optgroup>}
    </select>
  );
}
