import { operandsOf, type StepExpr, type StepInstruction, type StepProgram } from './step-program';

/** Which structures routines need, so that they are given no others. */

export interface Use {
  state: boolean;
  writesState: boolean;
  input: boolean;
  output: boolean;
}

/** Which structures each routine needs, itself or for those it calls. */
export function routinesUse({ slots, routines }: StepProgram): readonly Use[] {
  const found: Use[] = [];
  routines.forEach((r, k) => {
    const use: Use = { state: false, writesState: false, input: false, output: false };
    found[k] = use;
    const note = (slot: number, writes: boolean): void => {
      const { role } = slots[slot];
      if (role === 'input') use.input = true;
      if (role === 'output') use.output = true;
      if (role === 'part' || role === 'parameter') {
        use.state = true;
        if (writes) use.writesState = true;
      }
    };
    const called = (n: number): void => {
      const other = found[n];
      use.state ||= other.state;
      use.writesState ||= other.writesState;
      use.input ||= other.input;
      use.output ||= other.output;
    };
    const expr = (e: StepExpr): void => {
      if (e.op === 'slot') note(e.slot, false);
      if (e.op === 'call') called(e.routine);
      operandsOf(e).forEach(expr);
    };
    const visit = (list: readonly StepInstruction[]): void =>
      list.forEach((x) => {
        switch (x.op) {
          case 'set':
            note(x.slot, true);
            if (x.at) expr(x.at);
            return expr(x.value);
          case 'if':
            x.branches.forEach((y) => (expr(y.when), visit(y.body)));
            return visit(x.otherwise);
          case 'switch':
            expr(x.on);
            return x.cases.forEach((y) => visit(y.body));
          case 'while':
            expr(x.when);
            return visit(x.body);
          case 'call':
            called(x.routine);
            return x.args.forEach(expr);
          case 'return':
            if (x.value) expr(x.value);
        }
      });
    visit(r.body);
  });
  return found;
}
