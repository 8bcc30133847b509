/** Measures a page as an eye would: what stands outside the window, over something else, or is cut off. Runs in the page. */
export function disorderOfPage(): string[] {
  const found: string[] = [];
  const nameOf = (e: Element): string => {
    const text = (e.getAttribute('aria-label') ?? e.textContent ?? '').replace(/\s+/g, ' ').trim().slice(0, 40);
    return `${e.tagName.toLowerCase()}${e.classList[0] ? `.${e.classList[0]}` : ''} “${text}”`;
  };
  interface Edges {
    readonly left: number;
    readonly top: number;
    readonly right: number;
    readonly bottom: number;
  }
  const within = (a: Edges, b: Edges): Edges => ({
    left: Math.max(a.left, b.left),
    top: Math.max(a.top, b.top),
    right: Math.min(a.right, b.right),
    bottom: Math.min(a.bottom, b.bottom),
  });
  /** What of a box is left to be seen within everything that cuts it, the window aside. */
  const uncut = (e: Element, r: Edges): Edges => {
    let left = r;
    for (let p: Element | null = isControl(e) ? e.parentElement : e; p; p = p.parentElement) {
      const style = getComputedStyle(p);
      if (style.overflow !== 'visible' && style.display !== 'inline') left = within(left, p.getBoundingClientRect());
    }
    return left;
  };
  const hasOwnText = (e: Element): boolean =>
    [...e.childNodes].some((n) => n.nodeType === Node.TEXT_NODE && n.textContent!.trim() !== '');
  const isControl = (e: Element): boolean => e.matches('button, input, select, textarea, a[href]');
  const shown = [...document.querySelectorAll('body *')].filter((e): e is HTMLElement => {
    if (!(e instanceof HTMLElement) || e.closest('svg, [hidden], .visually-hidden, [aria-hidden="true"]')) return false;
    if (!isControl(e) && !hasOwnText(e)) return false;
    if (e.tagName === 'OPTION') return false;
    return e.checkVisibility({ opacityProperty: true, visibilityProperty: true });
  });
  interface Box {
    readonly e: HTMLElement;
    readonly r: Edges;
  }
  const boxes: Box[] = [];
  for (const e of shown) {
    // A line of text is what it covers, a control its whole box.
    const whole = isControl(e) ? [e.getBoundingClientRect()] : textBoxes(e);
    for (const r of whole) {
      const left = uncut(e, r);
      if (left.right - left.left < 2 || left.bottom - left.top < 2) continue;
      if (left.left < -1 || left.right > innerWidth + 1 || left.top < -1 || left.bottom > innerHeight + 1)
        found.push(`outside the window: ${nameOf(e)}`);
      boxes.push({ e, r: left });
    }
  }
  for (let i = 0; i < boxes.length; i++)
    for (let j = i + 1; j < boxes.length; j++) {
      const [a, b] = [boxes[i]!, boxes[j]!];
      if (a.e.contains(b.e) || b.e.contains(a.e)) continue;
      const w = Math.min(a.r.right, b.r.right) - Math.max(a.r.left, b.r.left);
      const h = Math.min(a.r.bottom, b.r.bottom) - Math.max(a.r.top, b.r.top);
      if (w > 3 && h > 4) found.push(`over one another: ${nameOf(a.e)} and ${nameOf(b.e)}`);
    }
  const pen = document.createElement('canvas').getContext('2d')!;
  for (const e of document.querySelectorAll<HTMLInputElement>('input[placeholder]')) {
    if (!e.checkVisibility() || e.value) continue;
    const style = getComputedStyle(e);
    pen.font = `${style.fontSize} ${style.fontFamily}`;
    const room = e.clientWidth - parseFloat(style.paddingLeft) - parseFloat(style.paddingRight);
    if (pen.measureText(e.placeholder).width > room + 1) found.push(`cut off: the placeholder “${e.placeholder}”`);
  }
  for (const e of document.querySelectorAll<HTMLElement>('button, label, h2, th, td, .row-line > *')) {
    if (!e.checkVisibility() || e.clientWidth < 2 || getComputedStyle(e).overflow === 'visible') continue;
    if (e.scrollWidth > e.clientWidth + 1) found.push(`cut off: ${nameOf(e)}`);
  }
  const page = document.scrollingElement!;
  if (page.scrollWidth > innerWidth) found.push(`the page is ${page.scrollWidth} px wide in a window of ${innerWidth}`);
  if (page.scrollHeight > innerHeight) found.push(`the page is ${page.scrollHeight} px high in ${innerHeight}`);
  const desk = document.querySelector('.desk');
  if (desk && desk.scrollWidth > desk.clientWidth + 1)
    found.push(`the desk is ${desk.scrollWidth} px wide in ${desk.clientWidth}`);
  return [...new Set(found)];

  function textBoxes(e: HTMLElement): DOMRect[] {
    const range = document.createRange();
    return [...e.childNodes]
      .filter((n) => n.nodeType === Node.TEXT_NODE && n.textContent!.trim() !== '')
      .flatMap((n) => {
        range.selectNodeContents(n);
        return [...range.getClientRects()];
      });
  }
}

/** Copies the last mark of the project that is open until there are `count`, each the child of the one before; a reload shows them. Runs in the page. */
export async function manyMarks(count: number): Promise<void> {
  const ask = <T>(request: IDBRequest<T>): Promise<T> =>
    new Promise((done, failed) => {
      request.onsuccess = () => done(request.result);
      request.onerror = () => failed(request.error);
    });
  const db = await ask(indexedDB.open('nagare'));
  const marks = db.transaction('marks', 'readwrite').objectStore('marks');
  type Row = { id: string; projectId: string; parent?: string; created: number; title: string };
  const project = location.pathname.split('/')[2];
  const all = ((await ask(marks.getAll())) as Row[]).filter((m) => m.projectId === project);
  let last = all.sort((p, q) => p.created - q.created).at(-1)!;
  for (let n = all.length; n < count; n++) {
    last = { ...last, id: `${last.id.slice(0, 8)}-copy-${n}`, parent: last.id, created: last.created + 1 };
    await ask(marks.put(last));
  }
  db.close();
}
