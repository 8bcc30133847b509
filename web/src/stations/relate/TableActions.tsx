/** Copying a table into a word processor, and saving it as CSV. */
import { useState, type ReactNode } from 'react';
import { tableCsv, tableHtml, tableText, type PlainTable } from '@nagare/core/publish/tables';
import { saveFile } from '../../store/projects.ts';
import { copyTable } from '../publish/copy-table.ts';

interface TableActionsProps {
  /** Made when it is asked for. */
  readonly table: () => PlainTable;
  readonly fileName: string;
}

export function TableActions({ table, fileName }: TableActionsProps): ReactNode {
  const [done, setDone] = useState('');
  const copy = async (): Promise<void> => {
    const t = table();
    setDone(await copyTable(tableHtml(t), tableText(t)));
  };
  return (
    <>
      <button className="word" onClick={() => void copy()}>
        Copy the table
      </button>
      <button className="word" onClick={() => saveFile(tableCsv(table()), fileName, 'text/csv')}>
        CSV
      </button>
      <span className="soft fine" aria-live="polite">
        {done}
      </span>
    </>
  );
}
