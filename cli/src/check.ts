/** `check` of the terminal: every finding of the vet over a model, with its data where there are any. */
import { experiment } from '@nagare/core/crystal/experiment';
import type { RawReflections } from '@nagare/core/crystal/reflections';
import type { Recognised } from '@nagare/core/formats/recognise';
import { mergeForGroup } from '@nagare/core/solve/prepare';
import { residualOf } from '@nagare/core/settle/stage';
import type { VetInput } from '@nagare/core/vet/context';
import { reportHtml } from '@nagare/core/publish/report';
import { SEVERITY_WORDS, vet } from '@nagare/core/vet/registry';
import type { Answer } from './answers.ts';

/** What is known of a model read from files. */
export function vetInputOf(model: Recognised, raw?: RawReflections): VetInput {
  const s = model.structure!,
    wavelength = model.experiment.wavelength;
  const base: VetInput = {
    structure: s,
    experiment: model.experiment,
    ...(wavelength ? { wavelength } : {}),
    ...(model.treatment ? { treatment: model.treatment } : {}),
    ...(model.items ? { items: model.items } : {}),
  };
  if (!raw || !wavelength) return base;
  const merged = mergeForGroup(raw, s.cell, s.spaceGroup);
  const { map } = residualOf(experiment(s, merged.reflections, wavelength, { treatment: model.treatment }));
  // A merged list says nothing of agreement and redundancy.
  return {
    ...base,
    raw,
    reflections: merged.reflections,
    ...(raw.merged ? {} : { statistics: merged.statistics }),
    peaks: map.peaks,
    holes: map.holes,
    residualSigma: map.sigma,
  };
}

/** The report of a model: figures as they are with these data, without refining again. */
export function reportAnswer(model: Recognised, raw?: RawReflections): Answer & { html: string } {
  const input = vetInputOf(model, raw),
    { findings } = vet(input);
  const peak = input.peaks?.[0]?.height,
    hole = input.holes?.[0]?.height;
  const html = reportHtml({
    name: model.name,
    structure: input.structure,
    experiment: model.experiment,
    ...(input.wavelength ? { wavelength: input.wavelength } : {}),
    ...(input.reflections ? { reflections: input.reflections } : {}),
    ...(input.statistics ? { statistics: input.statistics } : {}),
    ...(model.treatment ? { treatment: model.treatment } : {}),
    ...(peak !== undefined && hole !== undefined ? { residual: { peak, hole, sigma: input.residualSigma ?? 0 } } : {}),
    date: new Date().toISOString(),
    findings: findings.map((f) => ({ severity: SEVERITY_WORDS[f.severity], title: f.title, detail: f.detail })),
  });
  return {
    html,
    json: { findings: findings.length, bytes: html.length },
    text: `A report with ${findings.length} findings.`,
  };
}

export function checkAnswer(model: Recognised, raw?: RawReflections): Answer {
  const s = model.structure!;
  const report = vet(vetInputOf(model, raw));
  const findings = report.findings.map((f) => ({
    id: f.key,
    family: f.family,
    severity: SEVERITY_WORDS[f.severity],
    title: f.title,
    detail: f.detail,
    value: f.value ?? null,
    unit: f.unit ?? null,
    atoms: f.sites.map((i) => s.sites[i]!.label),
    ...(f.reflections ? { reflections: f.reflections } : {}),
    remedy: f.remedies.map((r) => r.words).join('; ') || null,
  }));
  const count = (x: string): number => report.findings.filter((f) => f.severity === x).length;
  return {
    json: {
      findings,
      counts: { mend: count('mend'), explain: count('explain'), know: count('know') },
      ran: report.ran.length,
      silent: report.silent,
    },
    text: [
      `${count('mend')} must be mended, ${count('explain')} must be explained, ${count('know')} worth knowing; ${report.ran.length} checks ran.`,
      ...findings.map((f) => `[${f.severity}] ${f.title}. ${f.detail}${f.remedy ? ` Way out: ${f.remedy}.` : ''}`),
    ].join('\n'),
  };
}
