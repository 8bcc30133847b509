/** Says that the browser had no room for the newest marks, and offers what can be done. */
import { useEffect, type ReactNode } from 'react';
import { useProject, useProjectStore } from '../store/use-project.tsx';
import { takeHome } from './take-home.ts';

export function UnsavedBar(): ReactNode {
  const { unsaved, saveUnsaved } = useProject('unsaved', 'saveUnsaved');
  const store = useProjectStore();
  const count = unsaved.length;
  useEffect(() => {
    if (!count) return;
    // The browser asks before it leaves a page that holds what is nowhere else.
    const ask = (e: BeforeUnloadEvent): void => e.preventDefault();
    addEventListener('beforeunload', ask);
    return () => removeEventListener('beforeunload', ask);
  }, [count]);
  if (!count) return null;
  return (
    <div className="problem" role="alert" data-testid="unsaved">
      <span className="flex-grow-1">
        The browser’s storage is full: {count === 1 ? 'the newest mark stands' : `the newest ${count} marks stand`} on
        this page only and would be lost with it.
      </span>
      <button className="word" onClick={() => void takeHome(store)}>
        Export now
      </button>
      <button className="word" onClick={() => void saveUnsaved()}>
        Store again
      </button>
    </div>
  );
}
