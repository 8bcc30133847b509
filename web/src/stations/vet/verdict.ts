/** What a vet comes to, in one sentence: findings that must be mended, and those that nobody has explained yet. */
export function verdictWords(mend: number, unexplained: number): string {
  const waiting = `${unexplained} ${unexplained === 1 ? 'waits' : 'wait'} for an explanation`;
  if (mend) return `${mend} must be mended${unexplained ? `, ${waiting}` : ''}.`;
  return unexplained
    ? `Nothing must be mended; ${waiting}.`
    : 'Nothing must be mended, nothing waits for an explanation.';
}
