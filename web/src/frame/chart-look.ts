/** The look of the charts: our type and inks, following the theme. Imported for its effect by what draws a chart. */
import { Chart } from 'chart.js';

Chart.defaults.font.family = 'IBM Plex Sans';
Chart.defaults.animation = false;

function takeInks(): void {
  const css = getComputedStyle(document.documentElement);
  Chart.defaults.color = css.getPropertyValue('--soft').trim();
  Chart.defaults.borderColor = css.getPropertyValue('--line').trim();
}

takeInks();
new MutationObserver(takeInks).observe(document.documentElement, { attributes: true });
