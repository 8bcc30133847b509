/** Chooses a crystal to look at beside the one on screen: another mark, or another project. */
import type { ReactNode } from 'react';
import { useOtherStructures } from '../../store/other-structures.ts';

interface OtherCrystalProps {
  /** As `useOtherStructures` names it; empty for none. */
  readonly choice: string;
  onChoose(choice: string): void;
}

export function OtherCrystal({ choice, onChoose }: OtherCrystalProps): ReactNode {
  const { marks, projects } = useOtherStructures();
  if (!marks.length && !projects.length)
    return <p className="soft fine mb-1">Another form taken in as a project can be looked at beside this one.</p>;
  return (
    <label className="reach mb-1">
      <span className="soft">beside</span>
      <select
        className="form-select form-select-sm w-auto"
        aria-label="Another crystal"
        value={choice}
        onChange={(e) => onChoose(e.target.value)}
      >
        <option value="">no other crystal</option>
        {[...marks, ...projects].map(([id, text]) => (
          <option key={id} value={id}>
            {text}
          </option>
        ))}
      </select>
    </label>
  );
}
