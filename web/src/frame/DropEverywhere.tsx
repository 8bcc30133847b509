/** Files dropped, picked or pasted anywhere: read in a worker, said in one sentence, then taken in. */
import './drop.scss';
import { createContext, useCallback, useContext, useEffect, useRef, useState, type ReactNode } from 'react';
import { Button, Modal } from 'react-bootstrap';
import { useLocation, useNavigate } from 'react-router';
import { run } from '../engine/engine.ts';
import { textOf } from '../engine/read-text.ts';
import { openProjectFile, type ReadFile } from '../store/project-door.ts';
import { Arrivals } from './Arrivals.tsx';
import { DamagedFile } from './DamagedFile.tsx';
import { stationAfter, type Arrived, type Here, type Way } from './arrivals.ts';
import { isFigureFile } from '../stations/depict/figure-file.ts';
import { takeFigure } from './take-figure.ts';
import { hereOf, takeIn } from './take-in.ts';

interface Drop {
  open(files: File[]): void;
  pick(): void;
  takeText(text: string, fileName: string): Promise<void>;
  /** Files that come with the application. */
  takeSamples(names: readonly string[]): Promise<void>;
}

const Context = createContext<Drop | undefined>(undefined);
export const useDrop = (): Drop => useContext(Context)!;

export function DropEverywhere({ children }: { children: ReactNode }): ReactNode {
  const [over, setOver] = useState(false);
  const [arrived, setArrived] = useState<readonly Arrived[]>([]);
  const [problems, setProblems] = useState<string[]>([]);
  const [reading, setReading] = useState<string | undefined>();
  const cancel = useRef<(() => void) | undefined>(undefined);
  const picker = useRef<HTMLInputElement>(null);
  const navigate = useNavigate();

  const id = /^\/projects\/([^/]+)/.exec(useLocation().pathname)?.[1];
  const takeFigureText = useCallback(
    async (text: string, fileName: string): Promise<void> => {
      try {
        const project = await takeFigure(text, fileName, id);
        void navigate(`/projects/${project}/depict`);
      } catch (e) {
        setProblems((p) => [...p, (e as Error).message]);
      }
    },
    [id, navigate],
  );

  const takeText = useCallback(
    async (text: string, fileName: string): Promise<void> => {
      if (isFigureFile(text)) return takeFigureText(text, fileName);
      setReading(`Reading ${fileName}`);
      try {
        const running = run('recognise', { text, fileName }, (f: number) =>
          setReading(`Reading ${fileName}: ${Math.round(100 * f)} %`),
        );
        cancel.current = running.cancel;
        const found = await running.result;
        setArrived((before) => [...before, ...found.map((f) => ({ fileName, found: f }))]);
      } catch (e) {
        if ((e as Error).name !== 'Cancelled') setProblems((p) => [...p, `${fileName}: ${(e as Error).message}`]);
      } finally {
        setReading(undefined);
      }
    },
    [takeFigureText],
  );

  const [damaged, setDamaged] = useState<{ fileName: string; file: ReadFile } | undefined>();
  const storeFile = useCallback(
    async (file: ReadFile, fileName: string): Promise<void> => {
      try {
        const stored = await file.store();
        void navigate(`/projects/${stored}/refine`);
      } catch (e) {
        setProblems((p) => [...p, `${fileName}: ${(e as Error).message}`]);
      }
    },
    [navigate],
  );
  const openProject = useCallback(
    async (bytes: Uint8Array, fileName: string): Promise<void> => {
      setReading(`Reading ${fileName}`);
      try {
        const file = await openProjectFile(bytes, fileName);
        if (file.lost.length) setDamaged({ fileName, file });
        else await storeFile(file, fileName);
      } catch (e) {
        setProblems((p) => [...p, (e as Error).message]);
      } finally {
        setReading(undefined);
      }
    },
    [storeFile],
  );

  const takeSamples = useCallback(
    async (names: readonly string[]): Promise<void> => {
      for (const name of names) {
        const response = await fetch(`/demo/${name}`).catch(() => undefined);
        if (response?.ok) await takeText(await response.text(), name);
        else
          setProblems((p) => [
            ...p,
            `The sample ${name} cannot be fetched: the server that Nagare came from does not answer. Your own files and projects work without it.`,
          ]);
      }
    },
    [takeText],
  );

  const open = useCallback(
    async (files: File[]): Promise<void> => {
      for (const file of files) {
        if (file.name.endsWith('.nagare')) await openProject(new Uint8Array(await file.arrayBuffer()), file.name);
        else if (file.size > 400e6)
          setProblems((p) => [
            ...p,
            `${file.name} is larger than 400 MB. Leave out frames and images; only reflections and sites are needed.`,
          ]);
        else await takeText(await textOf(file), file.name);
      }
    },
    [openProject, takeText],
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

  const [here, setHere] = useState<Here | undefined>();
  useEffect(() => {
    let gone = false;
    void hereOf(id).then((h) => {
      if (!gone) setHere(h);
    });
    return () => {
      gone = true;
    };
  }, [id, arrived]);
  const leave = (): void => {
    setArrived([]);
    setProblems([]);
  };
  const take = async (way: Way, chosen: readonly Arrived[]): Promise<void> => {
    try {
      const last = await takeIn(way, chosen, id);
      leave();
      if (last) void navigate(`/projects/${last}/${stationAfter(way, chosen)}`);
    } catch (e) {
      setProblems([(e as Error).message]);
    }
  };

  return (
    <Context.Provider value={{ open: (f) => void open(f), pick: () => picker.current?.click(), takeText, takeSamples }}>
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
      {damaged && (
        <DamagedFile
          {...damaged}
          onLeave={() => {
            damaged.file.leave();
            setDamaged(undefined);
          }}
          onTake={() => {
            setDamaged(undefined);
            void storeFile(damaged.file, damaged.fileName);
          }}
        />
      )}
      {!reading && (arrived.length > 0 || problems.length > 0) && (
        <Arrivals
          arrived={arrived}
          problems={problems}
          here={here}
          onLeave={leave}
          onTake={(way, chosen) => void take(way, chosen)}
        />
      )}
    </Context.Provider>
  );
}
