/** Every text that people read keeps to the words of docs/words.md. */
import { readdirSync, readFileSync } from 'node:fs';
import ts from 'typescript';
import { describe, expect, it } from 'vitest';

const ROOT = new URL('../../', import.meta.url);

/** Words that are not written, with what is written in their place. */
function forbidden(): { wanted: string; pattern: RegExp }[] {
  const table = readFileSync(new URL('docs/words.md', ROOT), 'utf8');
  return table
    .split('\n')
    .filter((line) => line.startsWith('| ') && !/^\| (Word|-)/.test(line))
    .flatMap((line) => {
      const [, wanted, not] = line.split('|').map((x) => x.trim());
      return (not ?? '')
        .split(',')
        .map((x) => x.trim())
        .filter(Boolean)
        .map((word) => ({
          wanted: wanted!,
          pattern: new RegExp(`(?<![\\w./-])${word.replace(/[.*+?^${}()|[\]\\]/g, '\\$&')}(?![\\w-])`, 'i'),
        }));
    });
}

/** Attributes that hold names of the code and not words. */
const OF_THE_CODE: ReadonlySet<string> = new Set([
  'className',
  'style',
  'key',
  'id',
  'htmlFor',
  'type',
  'role',
  'd',
  'href',
  'textAnchor',
  'data-testid',
]);

/** Sentences and words of one source: texts of JSX, and strings that read like words. */
function textsOf(path: URL): string[] {
  const source = ts.createSourceFile(
    'x.tsx',
    readFileSync(path, 'utf8'),
    ts.ScriptTarget.Latest,
    true,
    path.pathname.endsWith('x') ? ts.ScriptKind.TSX : ts.ScriptKind.TS,
  );
  const out: string[] = [];
  const visit = (node: ts.Node): void => {
    if (ts.isImportDeclaration(node)) return;
    if (ts.isJsxAttribute(node) && OF_THE_CODE.has(node.name.getText())) return;
    if (ts.isJsxText(node)) out.push(node.text);
    else if (ts.isStringLiteralLike(node) || ts.isTemplateHead(node) || ts.isTemplateMiddleOrTemplateTail(node)) {
      const text = node.text.trim();
      if (/^[A-Z]/.test(text) || /[a-z] [a-z]/.test(text)) out.push(text);
    }
    node.forEachChild(visit);
  };
  visit(source);
  return out;
}

const sources = (folder: string): URL[] =>
  readdirSync(new URL(folder, ROOT), { recursive: true, encoding: 'utf8' })
    .filter(
      (name) => /\.tsx?$/.test(name) && !/\.test\.tsx?$|testing|dictionary-items|entries-table|finder-index/.test(name),
    )
    .map((name) => new URL(`${folder}/${name}`, ROOT));

describe('texts of the interface', () => {
  it('keep to one spelling', () => {
    const words = forbidden();
    expect(words.length).toBeGreaterThan(30);
    const found: string[] = [];
    for (const path of [
      ...sources('web/src'),
      ...sources('core/src/vet'),
      ...sources('core/src/settle'),
      ...sources('core/src/symmetry'),
      ...sources('core/src/refine'),
      ...sources('core/src/formats'),
      ...sources('core/src/powder'),
    ])
      for (const text of textsOf(path))
        for (const { wanted, pattern } of words)
          if (pattern.test(text))
            found.push(
              `${path.pathname.split('/').slice(-3).join('/')}: “${text.replace(/\s+/g, ' ').slice(0, 70)}” should say ${wanted}`,
            );
    expect(found).toEqual([]);
  });

  it('are seen by this test', () => {
    const { pattern } = forbidden().find((x) => x.wanted === 'colour')!;
    expect(pattern.test('Choose a color')).toBe(true);
    expect(pattern.test('Choose a colour')).toBe(false);
    expect(textsOf(new URL('web/src/frame/Course.tsx', ROOT)).join(' ')).toContain(
      'each step of the model will leave a mark here',
    );
  });
});
