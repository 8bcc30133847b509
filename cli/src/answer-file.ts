/** Files that commands write: whether they can be is found before the work. */
import { closeSync, existsSync, openSync, unlinkSync, writeFileSync } from 'node:fs';
import { BadInput } from './answers.ts';

const REASONS: Readonly<Record<string, string>> = {
  ENOENT: 'its folder is not there',
  ENOTDIR: 'what stands for its folder is a file',
  EISDIR: 'it is a folder',
  EACCES: 'writing there is not allowed',
  EPERM: 'writing there is not allowed',
  EROFS: 'the disk can only be read',
  ENAMETOOLONG: 'the name is too long',
  ENOSPC: 'the disk is full',
  EINVAL: 'this is no name of a file',
};

function refuse(path: string, e: unknown): never {
  const { code, message } = e as NodeJS.ErrnoException;
  throw new BadInput(`--out ${path.slice(0, 200)} cannot be written: ${REASONS[code ?? ''] ?? message}.`);
}

/** Tries whether a file can be written, leaving what is there as it is. Throws BadInput in a sentence. */
export function checkOut(path: string): void {
  try {
    const there = existsSync(path);
    closeSync(openSync(path, there ? 'r+' : 'wx'));
    if (!there) unlinkSync(path);
  } catch (e) {
    refuse(path, e);
  }
}

/** Writes an answer. Throws BadInput in a sentence. */
export function writeOut(path: string, content: string | Uint8Array): void {
  try {
    writeFileSync(path, content);
  } catch (e) {
    refuse(path, e);
  }
}
