/** A figure as a PDF: its vector file drawn by jsPDF, text as text in the font that ships. Loaded when it is asked for. */
import latin from '@fontsource/ibm-plex-sans/files/ibm-plex-sans-latin-400-normal.woff?url';
import greek from '@fontsource/ibm-plex-sans/files/ibm-plex-sans-greek-400-normal.woff?url';
import bold from '@fontsource/ibm-plex-sans/files/ibm-plex-sans-latin-600-normal.woff?url';
import type { Figure } from '@nagare/core/depict/figure';
import { trueTypeOf } from './woff.ts';

const FAMILY = 'IBM Plex Sans';
const GREEK_FAMILY = 'IBM Plex Sans Greek';

const base64 = (bytes: Uint8Array): string => {
  let text = '';
  for (let i = 0; i < bytes.length; i += 0x8000) text += String.fromCharCode(...bytes.subarray(i, i + 0x8000));
  return btoa(text);
};

const fontOf = async (url: string): Promise<string> => {
  const answer = await fetch(url);
  if (!answer.ok) throw new Error('The font of the figure could not be read. Reload the page and try again.');
  return base64(trueTypeOf(new Uint8Array(await answer.arrayBuffer())));
};

const IS_GREEK = /[\u0370-\u03ff]+/g;

/** Greek letters in spans of the font that has them. */
function withGreek(svg: SVGSVGElement): void {
  for (const span of [...svg.querySelectorAll('tspan')]) {
    const text = span.textContent ?? '';
    if (!text.match(IS_GREEK)) continue;
    const parts = text.split(/([\u0370-\u03ff]+)/).filter(Boolean);
    const spans = parts.map((part, i) => {
      const piece = span.cloneNode() as SVGTSpanElement;
      piece.textContent = part;
      if (i) piece.removeAttribute('dy');
      if (part.match(IS_GREEK)) piece.setAttribute('font-family', GREEK_FAMILY);
      return piece;
    });
    span.replaceWith(...spans);
  }
}

/** Bytes of the PDF. Throws Error where the browser cannot make one. */
export async function figurePdf(figure: Figure, svgText: string): Promise<Uint8Array<ArrayBuffer>> {
  const [{ jsPDF }, { svg2pdf }, plain, letters, heavy] = await Promise.all([
    import('jspdf'),
    import('svg2pdf.js'),
    fontOf(latin),
    fontOf(greek),
    fontOf(bold),
  ]);
  const pdf = new jsPDF({
    unit: 'mm',
    format: [figure.width, figure.height],
    orientation: figure.width >= figure.height ? 'landscape' : 'portrait',
    compress: true,
  });
  for (const [file, data, family, style] of [
    ['plex.ttf', plain, FAMILY, 'normal'],
    ['plex-bold.ttf', heavy, FAMILY, 'bold'],
    ['plex-greek.ttf', letters, GREEK_FAMILY, 'normal'],
  ] as const) {
    pdf.addFileToVFS(file, data);
    pdf.addFont(file, family, style);
  }
  const svg = new DOMParser().parseFromString(svgText, 'image/svg+xml').documentElement as unknown as SVGSVGElement;
  // Its own measure of letters needs the element in the page.
  const place = document.createElement('div');
  place.style.cssText = 'position:absolute;left:-10000px;top:0;width:0;height:0;overflow:hidden';
  place.append(svg);
  document.body.append(place);
  try {
    withGreek(svg);
    await svg2pdf(svg, pdf, { x: 0, y: 0, width: figure.width, height: figure.height });
  } finally {
    place.remove();
  }
  pdf.setProperties({ title: figure.name, creator: 'Nagare' });
  return new Uint8Array(pdf.output('arraybuffer'));
}
