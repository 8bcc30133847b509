/** Other cells: multiples, any matrix of whole numbers, the cells that have a name. */
import { prettySymbol } from '@nagare/core/crystal/settings';
import { useState, type ReactNode } from 'react';
import { Button } from 'react-bootstrap';
import { multiples, multiplesReaching, parseMatrix } from '@nagare/core/build/supercell';
import { determinant3, type Mat3 } from '@nagare/core/math/matrix3';
import { NumberRow } from '../../frame/NumberRow.tsx';
import { NumberField, Sheet } from '../../frame/parts.tsx';
import { CellSearchRows } from './CellSearchRows.tsx';
import { useProject } from '../../store/use-project.tsx';
import type { BuildSheetProps } from './Build.tsx';
import { constantsWords } from '@nagare/core/crystal/cell-words';

const NAMED = [
  ['primitive', 'Primitive'],
  ['conventional', 'Conventional'],
  ['reduced', 'Reduced'],
] as const;

/** The matrix that is meant, or why there is none. */
function matrixOf(text: string, steps: readonly [number, number, number]): { matrix?: Mat3; problem?: string } {
  if (!text.trim()) return { matrix: multiples(...steps) };
  try {
    const matrix = parseMatrix(text);
    const det = determinant3(matrix);
    if (det === 0) return { problem: 'The determinant is 0: the three new axes lie in one plane.' };
    if (det < 0)
      return {
        problem: `The determinant is ${det}: the axes are left-handed. Exchange two of them or turn one round.`,
      };
    return { matrix };
  } catch (e) {
    return { problem: (e as Error).message };
  }
}

export function CellSheet({ wish, onWish }: BuildSheetProps): ReactNode {
  const { head } = useProject('head');
  const [steps, setSteps] = useState<readonly [number, number, number]>([2, 2, 2]);
  const [text, setText] = useState('');
  const [reach, setReach] = useState(10);
  const [symmetry, setSymmetry] = useState(false);
  const s = head!.structure!;
  const { matrix, problem } = matrixOf(text, steps);
  return (
    <Sheet
      title="Cells"
      fold
      state={`${prettySymbol(s.spaceGroup.symbol) || 'A group without a name'}: ${constantsWords(s.cell)}`}
    >
      <div className="triple">
        <NumberRow
          id="times"
          labels={['a', 'b', 'c'].map((x) => `Multiples of ${x}`)}
          values={steps}
          digits={0}
          step={1}
          min={1}
          max={30}
          onChange={([p, q, r]) => {
            setText('');
            setSteps([p!, q!, r!]);
          }}
        />
        <span className="soft">or new axes in rows</span>
        <input
          className="form-control form-control-sm matrix"
          aria-label="New axes in terms of the old ones, rows of whole numbers"
          placeholder="1,1,0; 0,1,0; 0,0,1"
          value={text}
          onChange={(e) => setText(e.target.value.replace(/−/g, '-'))}
        />
      </div>
      <div className="triple">
        <span className="soft">every axis at least</span>
        <NumberField
          id="reach-length"
          label="Least length of every axis of the supercell, Å"
          value={reach}
          digits={1}
          step={1}
          min={1}
          max={120}
          unit="Å"
          onChange={(x) => {
            setText('');
            setReach(x);
            const m = multiplesReaching(s, x);
            setSteps([m[0], m[4], m[8]]);
          }}
        />
      </div>
      {problem && (
        <p className="off mb-1" role="alert">
          {problem}
        </p>
      )}
      <label className="word">
        <input type="checkbox" checked={symmetry} onChange={() => setSymmetry(!symmetry)} /> find its symmetry again
      </label>
      <p className="acts mb-1">
        <Button size="sm" disabled={!matrix} onClick={() => matrix && onWish({ kind: 'supercell', matrix, symmetry })}>
          Look at the supercell
        </Button>
      </p>
      <p className="acts mb-0">
        {NAMED.map(([which, name]) => (
          <button key={which} className="word" onClick={() => onWish({ kind: 'named', which })}>
            {name}
          </button>
        ))}
      </p>
      <CellSearchRows wish={wish} onWish={onWish} />
    </Sheet>
  );
}
