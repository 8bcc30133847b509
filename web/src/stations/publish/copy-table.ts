/** A table to the clipboard: for a word processor with its HTML, else tabs between columns. */
export async function copyTable(html: string | undefined, text: string): Promise<string> {
  if (html !== undefined && 'ClipboardItem' in window) {
    await navigator.clipboard.write([
      new ClipboardItem({
        'text/html': new Blob([html], { type: 'text/html' }),
        'text/plain': new Blob([text], { type: 'text/plain' }),
      }),
    ]);
    return 'Copied as a table for a word processor.';
  }
  await navigator.clipboard.writeText(text);
  return 'Copied, tabs between columns.';
}
