/** The CIF as text for those who want it: coloured, folded by loop, with problems by line. What is changed here goes into the file that is taken home. */
import { useQuery } from '@tanstack/react-query';
import { useEffect, useRef, useState, type ReactNode } from 'react';
import { basicSetup } from 'codemirror';
import { EditorState } from '@codemirror/state';
import { EditorView } from '@codemirror/view';
import {
  foldAll,
  foldService,
  HighlightStyle,
  StreamLanguage,
  syntaxHighlighting,
  unfoldAll,
} from '@codemirror/language';
import { forceLinting, lintGutter, linter } from '@codemirror/lint';
import { tags } from '@lezer/highlight';
import type { FileProblemAt } from '@nagare/core/formats/dictionary';
import { run } from '../../engine/engine.ts';
import { saveFile } from '../../store/projects.ts';
import { useProject } from '../../store/use-project.tsx';
import { useCifInput } from './cif-input.ts';

const cifLanguage = StreamLanguage.define<{ text: boolean }>({
  name: 'cif',
  startState: () => ({ text: false }),
  token(stream, state) {
    if (stream.sol() && stream.peek() === ';') {
      state.text = !state.text;
      stream.skipToEnd();
      return 'string';
    }
    if (state.text) {
      stream.skipToEnd();
      return 'string';
    }
    if (stream.eatSpace()) return null;
    if (stream.peek() === '#') {
      stream.skipToEnd();
      return 'comment';
    }
    if (stream.match(/^(data_|save_)\S*/i)) return 'heading';
    if (stream.match(/^loop_/i)) return 'keyword';
    if (stream.match(/^_\S+/)) return 'propertyName';
    if (stream.match(/^'(?:[^']|'(?=\S))*'/) || stream.match(/^"(?:[^"]|"(?=\S))*"/)) return 'string';
    if (stream.match(/^[?.](?=\s|$)/)) return 'atom';
    if (stream.match(/^[+-]?(\d+\.?\d*|\.\d+)([eE][+-]?\d+)?(\(\d+\))?(?=\s|$)/)) return 'number';
    stream.match(/^\S+/);
    return null;
  },
});

/** Loops and text fields fold to their first line. */
const folding = foldService.of((state, from) => {
  const line = state.doc.lineAt(from);
  if (/^loop_/i.test(line.text)) {
    let last = line.number;
    for (let n = line.number + 1; n <= state.doc.lines; n++) {
      const t = state.doc.line(n).text;
      if (!t.trim() || /^(loop_|data_)/i.test(t)) break;
      last = n;
    }
    return last > line.number + 1 ? { from: line.to, to: state.doc.line(last).to } : null;
  }
  return null;
});

const colours = HighlightStyle.define([
  { tag: tags.propertyName, color: 'var(--indigo)' },
  { tag: tags.keyword, color: 'var(--gold)', fontWeight: '600' },
  { tag: tags.heading, color: 'var(--vermilion)', fontWeight: '600' },
  { tag: tags.string, color: 'var(--pine)' },
  { tag: tags.number, color: 'var(--ink)' },
  { tag: tags.comment, color: 'var(--soft)' },
  { tag: tags.atom, color: 'var(--vermilion)' },
]);

export default function CifPane(): ReactNode {
  const { project, head } = useProject('project', 'head');
  const input = useCifInput();
  const host = useRef<HTMLDivElement>(null);
  const view = useRef<EditorView | undefined>(undefined);
  const [problems, setProblems] = useState<FileProblemAt[]>([]);
  const [changed, setChanged] = useState(false);
  const key = [
    'cif',
    head?.id,
    JSON.stringify(project.experiment),
    JSON.stringify(project.explanations ?? {}),
    !!input?.reflections,
    !!input?.covariance,
  ];
  const { data: text, error } = useQuery({
    queryKey: key,
    enabled: !!input,
    staleTime: Infinity,
    gcTime: 60_000,
    queryFn: () => run('cif', input!).result,
  });
  useEffect(() => {
    if (!host.current || text === undefined) return;
    const editor = new EditorView({
      parent: host.current,
      state: EditorState.create({
        doc: text,
        extensions: [
          basicSetup,
          cifLanguage,
          folding,
          syntaxHighlighting(colours),
          lintGutter(),
          linter(
            async (v) => {
              const found = await run('cifProblems', { text: v.state.doc.toString() }).result.catch(() => []);
              setProblems(found);
              return found
                .filter((p) => p.line <= v.state.doc.lines)
                .map((p) => {
                  const l = v.state.doc.line(Math.max(1, p.line));
                  return { from: l.from, to: l.to, severity: 'error' as const, message: `${p.tag} ${p.says}` };
                });
            },
            { delay: 500 },
          ),
          EditorView.updateListener.of((u) => {
            if (u.docChanged) setChanged(true);
          }),
          EditorView.contentAttributes.of({ 'aria-label': 'CIF' }),
        ],
      }),
    });
    view.current = editor;
    setChanged(false);
    foldAll(editor);
    forceLinting(editor);
    return () => {
      editor.destroy();
      view.current = undefined;
    };
  }, [text]);
  if (!input)
    return (
      <div className="empty">
        <h3>No model yet</h3>
      </div>
    );
  const go = (line: number): void => {
    const v = view.current;
    if (!v) return;
    const l = v.state.doc.line(Math.min(v.state.doc.lines, line));
    v.dispatch({ selection: { anchor: l.from }, effects: EditorView.scrollIntoView(l.from, { y: 'center' }) });
    v.focus();
  };
  return (
    <div className="cif-pane">
      <header>
        <b>
          {problems.length
            ? `${problems.length} problem${problems.length > 1 ? 's' : ''}`
            : text === undefined
              ? (error?.message ?? 'Writing…')
              : 'No problem found'}
        </b>
        <button className="word" onClick={() => view.current && foldAll(view.current)}>
          Fold loops
        </button>
        <button className="word" onClick={() => view.current && unfoldAll(view.current)}>
          Unfold
        </button>
        <span className="flex-grow-1" />
        {changed && <span className="soft">Changed by hand; the form is not.</span>}
        <button
          className="word"
          disabled={text === undefined}
          onClick={() => void navigator.clipboard.writeText(view.current?.state.doc.toString() ?? '')}
        >
          Copy
        </button>
        <button
          className="word"
          disabled={text === undefined}
          onClick={() =>
            saveFile(
              view.current?.state.doc.toString() ?? '',
              `${project.name.replace(/\s+/g, '-').toLowerCase()}.cif`,
              'chemical/x-cif',
            )
          }
        >
          Take it home
        </button>
      </header>
      {problems.length > 0 && (
        <ul className="cif-problems">
          {problems.slice(0, 30).map((p, i) => (
            <li key={i}>
              <button className="plain" onClick={() => go(p.line)}>
                <span className="mono">{p.line}</span> <span className="mono soft">{p.tag}</span> {p.says}
              </button>
            </li>
          ))}
        </ul>
      )}
      <div ref={host} className="cif-editor" />
    </div>
  );
}
