import type { Project, Setup } from './project';

/** What two setups do not have in common, in words; empty where one of them has nothing. */
export interface SetupDifference {
  readonly what: string;
  readonly here: string;
  readonly there: string;
}

/** Each thing a setup says, by what it is called; things that are not called the same in two setups differ. */
function facts(project: Project, setup: Setup): ReadonlyMap<string, string> {
  const type = project.types.find((t) => t.id === (setup.root || project.root));
  const nameOf = (list: readonly { readonly id: string; readonly name: string }[] | undefined, id: string): string =>
    list?.find((x) => x.id === id)?.name ?? id;
  const found = new Map<string, string>([
    ['runs', type?.name ?? ''],
    ['duration in s', String(setup.stop)],
    ['solver', setup.solver],
    ['relative tolerance', String(setup.relative)],
    ['absolute tolerance', String(setup.absolute)],
    ['step in s', String(setup.step)],
    ['recorded every', String(setup.recordEvery)],
    ['ends when', setup.endWhen],
    ['looks at loops when', setup.loopsWhen],
    ['records', setup.record.join(', ')],
    ['starts in', setup.startIn.join(', ')],
    ['screen', setup.screen ? 'shown' : 'without'],
    ['follows', setup.sequences.map((id) => nameOf(type?.sequences, id)).join(', ')],
  ]);
  const note = (what: string, text: string): void => {
    const before = found.get(what);
    found.set(what, before === undefined ? text : `${before}, ${text}`);
  };
  for (const s of setup.stages) note(`stage of ${s.part}`, s.stage);
  for (const w of setup.wires)
    note(
      `wire of ${w.part}.${w.channel}`,
      w.fault === 'swapped'
        ? `swapped with ${w.other}`
        : w.fault === 'joined'
          ? `joined to the pin of ${w.other}`
          : w.fault,
    );
  for (const s of setup.serial)
    note(`serial line of ${s.part}`, `${s.baud} bits per second, every ${s.every} steps, noise ${s.noise}`);
  if (setup.heard.length > 0) note('heard', setup.heard.join(', '));
  for (const c of setup.changes) note(`value of ${c.name}`, c.value);
  for (const s of setup.stimulus) note(`${s.time} s: ${s.kind} ${s.target}`, s.value || 'yes');
  return found;
}

export function setupDifferences(project: Project, here: Setup, there: Setup): readonly SetupDifference[] {
  const [a, b] = [facts(project, here), facts(project, there)];
  const missing = (what: string): string =>
    what.startsWith('value of ')
      ? 'as designed'
      : what.startsWith('stage of ')
        ? 'designed'
        : what.startsWith('wire of ')
          ? 'sound'
          : '';
  return [...new Set([...a.keys(), ...b.keys()])]
    .map((what) => ({ what, here: a.get(what) ?? missing(what), there: b.get(what) ?? missing(what) }))
    .filter((d) => d.here !== d.there);
}
