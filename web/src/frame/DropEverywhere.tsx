/** Files dropped, picked or pasted anywhere: read in a worker, said in one sentence, then taken in. */
import './drop.scss';
import { createContext, useCallback, useContext, useEffect, useRef, useState, type ReactNode } from 'react';
import { Button, Modal } from 'react-bootstrap';
import { useLocation, useNavigate } from 'react-router';
import type { Recognised } from '@nagare/core/formats/recognise';
import { run } from '../engine/engine.ts';
import { createProject } from '../store/projects.ts';
import { importProject } from '../store/project-file.ts';
import { takePowder } from '../store/powder.ts';
import { db } from '../store/db.ts';

interface Arrival {
  fileName: string;
  found: Recognised[];
}

interface Drop {
  open(files: File[]): void;
  pick(): void;
  takeText(text: string, fileName: string): Promise<void>;
}

const Context = createContext<Drop | undefined>(undefined);
export const useDrop = (): Drop => useContext(Context)!;

export function DropEverywhere({ children }: { children: ReactNode }): ReactNode {
  const [over, setOver] = useState(false);
  const [arrivals, setArrivals] = useState<Arrival[]>([]);
  const [problems, setProblems] = useState<string[]>([]);
  const [reading, setReading] = useState<string | undefined>();
  const cancel = useRef<(() => void) | undefined>(undefined);
  const picker = useRef<HTMLInputElement>(null);
  const navigate = useNavigate();

  const takeText = useCallback(async (text: string, fileName: string): Promise<void> => {
    setReading(`Reading ${fileName}`);
    try {
      const running = run('recognise', { text, fileName }, (f: number) =>
        setReading(`Reading ${fileName}: ${Math.round(100 * f)} %`),
      );
      cancel.current = running.cancel;
      const found = await running.result;
      setArrivals((a) => [...a, { fileName, found }]);
    } catch (e) {
      if ((e as Error).name !== 'Cancelled') setProblems((p) => [...p, `${fileName}: ${(e as Error).message}`]);
    } finally {
      setReading(undefined);
    }
  }, []);

  const open = useCallback(
    async (files: File[]): Promise<void> => {
      for (const file of files) {
        if (file.name.endsWith('.nagare')) {
          try {
            const id = await importProject(new Uint8Array(await file.arrayBuffer()), file.name);
            void navigate(`/projects/${id}/refine`);
          } catch (e) {
            setProblems((p) => [...p, (e as Error).message]);
          }
        } else if (file.size > 400e6)
          setProblems((p) => [
            ...p,
            `${file.name} is larger than 400 MB. Leave out frames and images; only reflections and sites are needed.`,
          ]);
        else await takeText(await file.text(), file.name);
      }
    },
    [navigate, takeText],
  );

  useEffect(() => {
    let depth = 0;
    const hasFiles = (e: DragEvent): boolean => !!e.dataTransfer?.types.includes('Files');
    const enter = (e: DragEvent): void => {
      if (hasFiles(e)) {
        depth++;
        setOver(true);
      }
    };
    const leave = (): void => {
      if (--depth <= 0) {
        depth = 0;
        setOver(false);
      }
    };
    const move = (e: DragEvent): void => {
      if (hasFiles(e)) e.preventDefault();
    };
    const drop = (e: DragEvent): void => {
      if (!hasFiles(e)) return;
      e.preventDefault();
      depth = 0;
      setOver(false);
      void open([...e.dataTransfer!.files]);
    };
    const paste = (e: ClipboardEvent): void => {
      if ((e.target as HTMLElement).closest('input, textarea, [contenteditable]')) return;
      const files = [...(e.clipboardData?.files ?? [])];
      const text = e.clipboardData?.getData('text/plain') ?? '';
      if (files.length) void open(files);
      else if (text.trim().length > 20) void takeText(text, 'pasted text');
    };
    addEventListener('dragenter', enter);
    addEventListener('dragleave', leave);
    addEventListener('dragover', move);
    addEventListener('drop', drop);
    addEventListener('paste', paste);
    return () => {
      removeEventListener('dragenter', enter);
      removeEventListener('dragleave', leave);
      removeEventListener('dragover', move);
      removeEventListener('drop', drop);
      removeEventListener('paste', paste);
    };
  }, [open, takeText]);

  const here = /^\/projects\/([^/]+)/.exec(useLocation().pathname)?.[1];
  const powder = arrivals.some((a) => a.found.some((f) => f.powder || f.instrument));
  // Patterns, instruments and structures dropped on a powder project belong to it.
  const [inPowder, setInPowder] = useState(false);
  useEffect(() => {
    void (async () => setInPowder(!!here && (await db.powder.get(here)) !== undefined))();
  }, [here, arrivals]);
  const takePatterns = async (into?: string): Promise<void> => {
    const all = arrivals.flatMap((a) => a.found.map((found) => ({ fileName: a.fileName, found })));
    const id = await takePowder(all, into);
    setArrivals([]);
    const structures = all.some((a) => a.found.structure);
    void navigate(`/projects/${id}/${structures || into ? 'fit' : 'intake'}`);
  };
  const takeIn = async (): Promise<void> => {
    if (powder) return takePatterns();
    let last = '';
    for (const a of arrivals) for (const found of a.found) last = await createProject(found, a.fileName);
    setArrivals([]);
    if (last) void navigate(`/projects/${last}/intake`);
  };
  const count = arrivals.reduce((n, a) => n + a.found.length, 0);

  return (
    <Context.Provider value={{ open: (f) => void open(f), pick: () => picker.current?.click(), takeText }}>
      {children}
      <input
        ref={picker}
        type="file"
        multiple
        hidden
        data-testid="file-picker"
        onChange={(e) => {
          void open([...(e.target.files ?? [])]);
          e.target.value = '';
        }}
      />
      {over && <div className="drop-veil">Let go to read the files</div>}
      <Modal show={!!reading} centered animation={false} onHide={() => cancel.current?.()}>
        <Modal.Body className="d-flex justify-content-between align-items-center">
          {reading}
          <Button variant="outline-secondary" size="sm" onClick={() => cancel.current?.()}>
            Stop
          </Button>
        </Modal.Body>
      </Modal>
      <Modal
        show={!reading && (arrivals.length > 0 || problems.length > 0)}
        centered
        animation={false}
        onHide={() => {
          setArrivals([]);
          setProblems([]);
        }}
        aria-labelledby="arrival-title"
      >
        <Modal.Header closeButton>
          <Modal.Title as="h2" id="arrival-title" className="fs-6">
            {arrivals.length ? 'What was recognised' : 'This could not be read'}
          </Modal.Title>
        </Modal.Header>
        <Modal.Body>
          {arrivals.map((a, i) =>
            a.found.map((f) => (
              <p key={`${i}${f.name}`} className="mb-2">
                <b>{a.fileName}</b>
                {a.found.length > 1 ? ` (${f.name})` : ''}: {f.sentence}
              </p>
            )),
          )}
          {problems.map((p, i) => (
            <p key={i} className="mb-2 off" role="alert">
              {p}
            </p>
          ))}
          {problems.length > 0 && <p className="soft mb-0">Nothing was changed.</p>}
        </Modal.Body>
        <Modal.Footer>
          <Button
            variant="outline-secondary"
            onClick={() => {
              setArrivals([]);
              setProblems([]);
            }}
          >
            {arrivals.length ? 'Leave it' : 'Close'}
          </Button>
          {count > 0 && inPowder && (
            <Button
              autoFocus
              onClick={() => {
                setProblems([]);
                void takePatterns(here);
              }}
            >
              Add to this project
            </Button>
          )}
          {count > 0 && (!inPowder || powder) && (
            <Button
              variant={inPowder ? 'outline-primary' : 'primary'}
              autoFocus={!inPowder}
              onClick={() => {
                setProblems([]);
                void takeIn();
              }}
            >
              {inPowder
                ? 'As a new project'
                : powder
                  ? count > 1
                    ? 'Take them in together'
                    : 'Take it in'
                  : count > 1
                    ? `Take in as ${count} projects`
                    : 'Take it in'}
            </Button>
          )}
        </Modal.Footer>
      </Modal>
    </Context.Provider>
  );
}
