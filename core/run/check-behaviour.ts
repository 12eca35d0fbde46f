import { statementsOf } from '../flatten/chart-sends';
import { checkChart } from '../behaviour/chart-check';
import type { ChartSource } from '../behaviour/chart-source';
import { takesMessage } from '../behaviour/chart-structure';
import type { FlatModel, FlatSend } from '../flatten/flat-model';
import type { ClassLibrary } from '../flatten/library';
import { checkSoftware } from '../stepcode/controller';
import { problem, type Problem } from '../language/diagnostics';
import type { Project } from '../project/project';
import { documentTexts } from '../project/texts';

const cache = new WeakMap<ChartSource, { sent: string; problems: readonly Problem[] }>();

/** What can be said of the charts of a project without running it: of each alone, and of the messages between parts. */
export function checkBehaviour(project: Project, library: ClassLibrary, model: FlatModel): Problem[] {
  const sent = sentMessages(project);
  const key = [...sent].sort().join();
  const own = [...library.top.values()]
    .flatMap((ref) => ref.behaviour?.().charts ?? [])
    .flatMap((source) => {
      let known = cache.get(source);
      if (!known || known.sent !== key)
        cache.set(source, (known = { sent: key, problems: checkChart(source, { accepted: undefined, sent }) }));
      return known.problems;
    });
  return [...own, ...unheard(model), ...unsaid(model), ...checkSoftware(model)];
}

/** Names of all messages that some text, setup or panel sends. */
function sentMessages(project: Project): ReadonlySet<string> {
  const sent = new Set<string>();
  for (const t of documentTexts(project)) {
    if (t.kind === 'statements' || t.kind === 'physics')
      for (const m of t.text.matchAll(/\bsend\s+'?([\p{L}_][\p{L}\p{N}_.]*)/gu)) sent.add(m[1]);
    else if (t.kind === 'message-path') sent.add(t.text.split('.').at(-1)!);
  }
  return sent;
}

/** Messages that reach no chart waiting for them. */
function unheard(model: FlatModel): Problem[] {
  const found: Problem[] = [];
  const told = new Set<string>();
  const listens = (part: number, message: string): boolean =>
    model.charts.some(
      (c) =>
        c.part === part &&
        (c.structure.transitions.some((t) =>
          t.triggers.some((g) => g.kind === 'message' && takesMessage(g, message)),
        ) ||
          c.defers.some((d) => d.includes(message))),
    );
  const look = (send: FlatSend, place: string): void => {
    if (told.has(`${place}/${send.message}`) || send.receivers.some((r) => listens(r, send.message))) return;
    told.add(`${place}/${send.message}`);
    const names = send.receivers.map((r) => model.parts[r].name || model.name).join(', ');
    found.push({
      ...problem(
        'warning',
        'nobody-receives',
        send.receivers.length === 0
          ? `${send.message} reaches nobody: no link leads from here to a port that takes it`
          : `${send.message} is sent to ${names}, but no state there waits for it`,
      ),
      place,
    });
  };
  for (const { send, place } of allSends(model)) look(send, place);
  return found;
}

/** Arguments that a trigger reads and the message does not bring: the chart goes on with what came last. */
function unsaid(model: FlatModel): Problem[] {
  const found = new Map<string, Problem>();
  for (const { send, place } of allSends(model)) {
    const brought = new Set(send.args.map((a) => a.name));
    for (const c of model.charts)
      for (const g of send.receivers.includes(c.part) ? c.structure.transitions.flatMap((t) => t.triggers) : []) {
        const missing = g.kind === 'message' && takesMessage(g, send.message) && g.args?.find((a) => !brought.has(a));
        if (!missing) continue;
        const receiver = model.parts[c.part].name || model.name;
        const message = `${send.message} is sent without ${missing}, which ${receiver} reads of it: there it keeps the value of the last time`;
        found.set(`${place}/${message}`, { ...problem('warning', 'argument-missing', message), place });
      }
  }
  return [...found.values()];
}

/** Everything that charts and equations of the model may send, with its place. */
const allSends = (model: FlatModel): readonly { readonly send: FlatSend; readonly place: string }[] => [
  ...statementsOf(model.charts).flatMap((s) => (s.kind === 'send' ? [{ send: s.send, place: s.origin.place }] : [])),
  ...model.actions.flatMap(({ does, origin }) =>
    does.kind === 'send' ? [{ send: does.send, place: origin.place }] : [],
  ),
];
