import { checkChart } from '../behaviour/chart-check';
import type { ChartSource } from '../behaviour/chart-source';
import { takesMessage } from '../behaviour/chart-structure';
import type { FlatModel, FlatSend, FlatStatement } from '../flatten/flat-model';
import type { ClassLibrary } from '../flatten/library';
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
  return [...own, ...unheard(model)];
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
  const walk = (statements: readonly FlatStatement[]): void => {
    for (const s of statements) {
      if (s.kind === 'send') look(s.send, s.origin.place);
      if (s.kind === 'if') {
        s.branches.forEach((b) => walk(b.body));
        walk(s.otherwise);
      }
    }
  };
  for (const c of model.charts) [...c.entry, ...c.do, ...c.exit, ...c.transitions.map((t) => t.effect)].forEach(walk);
  for (const a of model.actions) if (a.does.kind === 'send') look(a.does.send, a.origin.place);
  return found;
}
