import type { FlatChart, FlatSend, FlatStatement } from './flat-model';

/** All texts of a chart: of states as they are entered, active and left, then of transitions. */
export const textsOf = (c: FlatChart): readonly (readonly FlatStatement[])[] => [
  ...c.entry,
  ...c.do,
  ...c.exit,
  ...c.transitions.map((t) => t.effect),
];

/** Every statement in the texts of charts, those within branches too, in the order in which they are written. */
export const statementsOf = (charts: readonly FlatChart[]): readonly FlatStatement[] => {
  const within = (s: FlatStatement): readonly FlatStatement[] =>
    s.kind === 'if' ? [s, ...[...s.branches.flatMap((x) => x.body), ...s.otherwise].flatMap(within)] : [s];
  return charts.flatMap(textsOf).flat().flatMap(within);
};

/** Everything the texts of charts may send. */
export const sendsOf = (charts: readonly FlatChart[]): readonly FlatSend[] =>
  statementsOf(charts).flatMap((s) => (s.kind === 'send' ? [s.send] : []));
