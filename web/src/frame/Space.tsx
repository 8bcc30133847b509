/** How much of the browser's storage is used, and what can be given up. */
import { useCallback, useEffect, useState, type ReactNode } from 'react';
import { db } from '../store/db.ts';
import { askToLast, makeRoom, spaceHere, type Space } from '../store/keeping.ts';

/** Share of what is allowed above which it is said in colour. */
const NEARLY_FULL = 0.8;

const sizeWords = (bytes: number): string =>
  bytes >= 1e9 ? `${(bytes / 1e9).toFixed(1)} GB` : `${Math.max(0, bytes / 1e6).toFixed(bytes < 1e7 ? 1 : 0)} MB`;

export function SpaceLine(): ReactNode {
  const [space, setSpace] = useState<Space | undefined>();
  const [said, setSaid] = useState('');
  const look = useCallback(() => void spaceHere().then(setSpace), []);
  useEffect(look, [look]);
  if (!space) return null;
  const { used, allowed, lasting } = space;
  const full = used > NEARLY_FULL * allowed;
  const free = async (): Promise<void> => {
    const rows = await makeRoom(db);
    setSaid(
      rows
        ? `${rows === 1 ? 'One stored map or picture was' : `${rows} stored maps and pictures were`} given up; they are made again when they are looked at.`
        : 'There is nothing that could be made again.',
    );
    look();
  };
  const last = async (): Promise<void> => {
    if (!(await askToLast()))
      setSaid('The browser declined; it may clear projects when the disk is full. Export what matters.');
    look();
  };
  return (
    <p className={`space-line ${full ? 'off' : 'soft'}`} aria-label="Storage">
      {sizeWords(used)} of {sizeWords(allowed)} of this browser’s storage are used
      {lasting ? ', and kept until you delete them' : ''}.{' '}
      <button className="word" onClick={() => void free()}>
        Free space
      </button>
      {!lasting && (
        <button className="word" onClick={() => void last()}>
          Keep for good
        </button>
      )}
      {said && <span role="status"> {said}</span>}
    </p>
  );
}
