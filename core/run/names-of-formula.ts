/** Names a formula mentions that somebody knows, each as far as it is known: `ctrl.mode` of `ctrl.mode.Ready`. */
export function namesOfFormula(formula: string, isKnown: (name: string) => boolean): readonly string[] {
  const found = new Set<string>();
  for (const [whole] of formula
    .replace(/'[^']*'/g, '')
    .matchAll(/[\p{L}_][\p{L}\p{N}_]*(?:\[[^\]]*\])?(?:\.[\p{L}_][\p{L}\p{N}_]*(?:\[[^\]]*\])?)*/gu)) {
    const parts = whole.split('.');
    for (let k = parts.length; k > 0; k--) {
      const name = parts.slice(0, k).join('.');
      if (isKnown(name)) {
        found.add(name);
        break;
      }
    }
  }
  return [...found];
}
