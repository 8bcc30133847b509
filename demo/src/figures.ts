/** The figure that ships: tunnels of the oxide end-on and from the side, as a figure's file and as the picture of the README. */
import { mkdirSync, writeFileSync } from 'node:fs';
import { recognise } from '@nagare/core/formats/recognise';
import { readFileSync } from 'node:fs';
import { drawFigure } from '@nagare/core/depict/draw-figure';
import type { Annotation, Figure } from '@nagare/core/depict/figure';
import { figureSvg } from '@nagare/core/depict/page';
import { figureFrom, newRule } from '@nagare/core/depict/templates';
import { atomsOfExtent } from '@nagare/core/draw/extent';
import { bonded } from '@nagare/core/geometry/bonding-proposal';
import { channelPlaces, channelsAlong } from '@nagare/core/geometry/channels';
import type { Structure } from '@nagare/core/crystal/structure';

const HUES = ['#2b7f8c', '#c8452b'] as const;

/** Rings of the tunnels along c, each kind in its colour. */
function outlines(s: Structure, figure: Figure): Annotation[] {
  const drawn = atomsOfExtent(s, figure.drawings[0]!.extent);
  return channelsAlong(s, [0, 0, 1]).flatMap((channel, kind) =>
    channelPlaces(s, channel, drawn).map((place, i): Annotation => ({
      id: `tunnel ${kind} ${i}`,
      kind: 'outline',
      panel: figure.panels[0]!.id,
      atoms: place.ring,
      margin: -0.3,
      ink: { colour: HUES[kind % HUES.length]!, width: 0.6 },
    })),
  );
}

/** The argument: pale octahedra with fine edges, guests in colour, no oxygen, both kinds of tunnels outlined. */
function argument(s: Structure): Figure {
  const first = figureFrom(s, 'channel');
  const [drawing] = first.drawings;
  const octahedra = newRule({
    which: { kind: 'element', elements: ['W', 'Nb'] },
    style: {},
    polyhedra: { opacity: 0.55, edgeWidth: 0.6, colour: '#9db4cc', showCentre: false },
    name: 'W_{5/6}Nb_{1/6}O_6',
  });
  const guests = newRule({
    which: { kind: 'nets', dimension: 0 },
    style: { size: 1.8 },
  });
  const figure: Figure = {
    ...first,
    name: 'Tunnels of Hachisu',
    legend: [89, 8],
    drawings: [
      {
        ...drawing!,
        showCell: false,
        rules: [drawing!.rules[0]!, octahedra, guests],
        hiding: [{ id: 'oxygen', words: 'O', chosen: { which: { kind: 'element', elements: ['O'] } } }],
      },
    ],
  };
  return { ...figure, annotations: [...figure.annotations, ...outlines(s, figure)] };
}

/** Identifiers by their order, so that the file is the same every time. */
function settled(figure: Figure): Figure {
  const ids = [figure, ...figure.drawings, ...figure.panels, ...figure.annotations, ...figure.drawings[0]!.rules];
  const text = ids.reduce((json, { id }, i) => json.replaceAll(`"${id}"`, `"f${i}"`), JSON.stringify(figure));
  return JSON.parse(text) as Figure;
}

/** `here` is the folder of the demo sets, `docs` that of the documents. */
export function writeFigures(here: string, docs: string): void {
  const found = recognise(readFileSync(`${here}data/hachisu.cif`, 'utf8'), 'hachisu.cif')[0]!.structure!;
  const s = bonded(found);
  const { figure, scenes } = drawFigure(settled(argument(s)), s);
  const structures = { [figure.drawings[0]!.id]: found };
  const file = { format: 'nagare figure', version: 1, figure, structures };
  writeFileSync(`${here}data/hachisu.figure.json`, `${JSON.stringify(file)}\n`);
  mkdirSync(`${docs}figures`, { recursive: true });
  writeFileSync(`${docs}figures/hachisu.svg`, `${figureSvg(figure, scenes)}\n`);
  process.stdout.write(`${figure.name}: ${figure.annotations.length} annotations\n`);
}
