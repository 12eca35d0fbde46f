import { newProcedure, type FlowLine, type Procedure } from '../project/project';

/** For tests: procedures written as text. */

const lines = (text: string): FlowLine[] =>
  text
    .split('\n')
    .filter((l) => l.trim() !== '')
    .map((l, k) => ({ id: `l${k}`, depth: /^ */.exec(l)![0].length / 2, text: l.trim() }));
/** Lines by their indents of two spaces. */
export const procedure = (name: string, text: string, more: Partial<Procedure> = {}): Procedure => ({
  ...newProcedure(name, name),
  lines: lines(text),
  ...more,
});
export const procedureValue = (name: string, start = '0') => ({
  id: name,
  name,
  type: 'Real' as const,
  value: start,
  unit: '',
});
