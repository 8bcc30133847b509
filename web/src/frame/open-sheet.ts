/** Opens a sheet of the desk by its name and hands the keyboard to one of its controls. */

import type { StationId } from './stations.ts';

/** ms between looks for a sheet, and the most of them. */
const LOOKS = { every: 100, most: 30 };

/** Does something with a part of the page as soon as its station is drawn. */
function whenThere(selector: string, act: (part: Element) => void, left: number = LOOKS.most): void {
  const part = document.querySelector(selector);
  if (part) act(part);
  else if (left) setTimeout(() => whenThere(selector, act, left - 1), LOOKS.every);
}

/** The name a control is known by. */
function nameOfControl(e: Element): string {
  const labels = e instanceof HTMLInputElement || e instanceof HTMLSelectElement ? e.labels : undefined;
  const said = e.getAttribute('aria-label') ?? labels?.[0]?.textContent ?? e.textContent;
  return said.replace(/\s+/g, ' ').trim();
}

/** Gives the focus to the control that is wanted; one that rests while work is going on is waited for. */
function reach(sheet: Element, control: string | undefined, left: number = LOOKS.most): void {
  const all = [...sheet.querySelectorAll<HTMLElement>('button:not(.fold), input, select, textarea, summary')];
  const wanted = control ? all.find((e) => nameOfControl(e).startsWith(control)) : undefined;
  if (wanted?.matches(':disabled') && left) {
    setTimeout(() => reach(sheet, control, left - 1), LOOKS.every);
    return;
  }
  const able = (e: HTMLElement): boolean => !e.matches(':disabled');
  const target = (wanted && able(wanted) ? wanted : all.find(able)) ?? sheet.querySelector<HTMLElement>('.fold, h2');
  const inside = target?.closest('details');
  if (inside) inside.open = true;
  sheet.scrollIntoView({ block: 'start' });
  if (!target) return;
  if (target.tagName === 'H2') target.tabIndex = -1;
  target.focus();
  target.scrollIntoView({ block: 'nearest' });
}

/** Waits for the sheet, unfolds it, brings it into view and focuses the control whose name begins so, or its first. */
export function openSheet(station: StationId, name: string, control?: string): void {
  whenThere(`.desk[data-station="${station}"] section[aria-label="${name}"]`, (sheet) => {
    const fold = sheet.querySelector<HTMLElement>('.fold[aria-expanded="false"]');
    fold?.click();
    // What was folded is drawn in the next frame.
    requestAnimationFrame(() => reach(sheet, control));
  });
}
