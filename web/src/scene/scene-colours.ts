/** Colours of the theme as the scene takes them. */
import { useSyncExternalStore } from 'react';
import { currentTheme, watchTheme } from '../frame/theme.ts';
import type { SceneColours } from '@nagare/core/draw/colours';

const TOKENS: Readonly<Record<keyof SceneColours, string>> = {
  ground: '--scene',
  ink: '--ink',
  soft: '--soft',
  indigo: '--indigo',
  water: '--water',
  vermilion: '--vermilion',
  gold: '--gold',
  pine: '--pine',
};

/** "#abc" as "#aabbcc". */
const longHex = (text: string): string =>
  /^#[0-9a-f]{3}$/i.test(text) ? `#${[...text.slice(1)].map((c) => c + c).join('')}` : text;

function readColours(): SceneColours {
  const style = getComputedStyle(document.documentElement);
  const out = Object.entries(TOKENS).map(([name, token]) => [name, longHex(style.getPropertyValue(token).trim())]);
  return Object.fromEntries(out) as SceneColours;
}

let known: { theme: string; colours: SceneColours } | undefined;

/** The same object as long as the theme stays. */
function currentColours(): SceneColours {
  const theme = currentTheme();
  if (known?.theme !== theme) known = { theme, colours: readColours() };
  return known.colours;
}

export const useSceneColours = (): SceneColours => useSyncExternalStore(watchTheme, currentColours);
