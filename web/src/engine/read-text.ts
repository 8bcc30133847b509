/** The text of a file, whatever its encoding. */
import { decodeText } from '@nagare/core/formats/text';

/** Bytes that tell UTF-16 from the rest. */
const HEAD = 512;

const isWide = (head: Uint8Array): boolean =>
  (head[0] === 0xff && head[1] === 0xfe) || (head[0] === 0xfe && head[1] === 0xff) || head.includes(0);

/** Text of a file. The browser decodes UTF-8 beside the page; only a file in another encoding is decoded here. */
export async function textOf(file: Blob): Promise<string> {
  const head = new Uint8Array(await file.slice(0, HEAD).arrayBuffer());
  const text = isWide(head) ? undefined : await file.text();
  if (text !== undefined && !text.includes('\ufffd')) return text;
  return decodeText(new Uint8Array(await file.arrayBuffer()));
}
