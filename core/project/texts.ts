import { procedurePieces, sequencePieces, type LinePiece, type TextKind } from './line-texts';
import type { Project } from './project';

/** A text with its address, and the part type in which its names are looked up. */
export interface DocumentText {
  readonly place: string;
  readonly kind: TextKind;
  readonly scope: string;
  readonly text: string;
  /** Words of which the text is one, for lists of users. */
  readonly label: string;
  /** Path of keys in the document, for replacing it. */
  readonly keys: readonly (string | number)[];
}

/** Every text of the document that can name something. */
export function documentTexts(project: Project): DocumentText[] {
  const all: DocumentText[] = [];
  const push = (
    kind: TextKind,
    scope: string,
    text: string,
    place: string,
    label: string,
    keys: readonly (string | number)[],
  ): void => {
    if (text.trim() !== '') all.push({ kind, scope, text, place, label, keys });
  };
  project.types.forEach((type, t) => {
    const at = `type/${type.id}`;
    type.quantities.forEach((q, k) => {
      for (const key of ['value', 'min', 'max'] as const)
        push('expression', type.id, q[key], `${at}/quantity/${q.id}/${key}`, `${type.name}.${q.name} (${key})`, [
          'types',
          t,
          'quantities',
          k,
          key,
        ]);
    });
    type.parts.forEach((p, k) => {
      p.changes.forEach((c, j) => {
        push('expression', type.id, c.value, `${at}/part/${p.id}/change/${j}`, `${type.name}.${p.name} (${c.name})`, [
          'types',
          t,
          'parts',
          k,
          'changes',
          j,
          'value',
        ]);
        push('path', p.type, c.name, `${at}/part/${p.id}/change/${j}/name`, `${type.name}.${p.name} (changed value)`, [
          'types',
          t,
          'parts',
          k,
          'changes',
          j,
          'name',
        ]);
      });
    });
    type.links.forEach((l, k) => {
      for (const key of ['from', 'to'] as const)
        push('path', type.id, l[key], `${at}/link/${l.id}/${key}`, `link ${l.from} to ${l.to} in ${type.name}`, [
          'types',
          t,
          'links',
          k,
          key,
        ]);
    });
    push('physics', type.id, type.physics, `${at}/physics`, `physics of ${type.name}`, ['types', t, 'physics']);
    type.sheets.forEach((s, k) =>
      s.relations.forEach((r, j) =>
        push('relation', type.id, r.text, `${at}/sheet/${s.id}/relation/${r.id}`, `relation ${r.text}`, [
          'types',
          t,
          'sheets',
          k,
          'relations',
          j,
          'text',
        ]),
      ),
    );
    type.charts.forEach((c, k) => {
      push('expression', type.id, c.period, `${at}/chart/${c.id}/period`, `period of ${c.name}`, [
        'types',
        t,
        'charts',
        k,
        'period',
      ]);
      c.values.forEach((x, j) =>
        push('expression', type.id, x.value, `${at}/chart/${c.id}/value/${x.id}`, `value of ${c.name}.${x.name}`, [
          'types',
          t,
          'charts',
          k,
          'values',
          j,
          'value',
        ]),
      );
      c.states.forEach((s, j) => {
        for (const key of ['entry', 'do', 'exit'] as const)
          push('statements', type.id, s[key], `${at}/chart/${c.id}/state/${s.id}/${key}`, `${key} of state ${s.name}`, [
            'types',
            t,
            'charts',
            k,
            'states',
            j,
            key,
          ]);
      });
      const names = new Map(c.states.map((s) => [s.id, s.name]));
      c.transitions.forEach((x, j) => {
        const place = `${at}/chart/${c.id}/transition/${x.id}`;
        const label = `transition ${names.get(x.from) ?? '?'} to ${names.get(x.to) ?? '?'}`;
        x.triggers.forEach((g, i) => {
          if (g.kind !== 'done')
            push(g.kind === 'message' ? 'message' : 'expression', type.id, g.on, `${place}/trigger/${i}`, label, [
              'types',
              t,
              'charts',
              k,
              'transitions',
              j,
              'triggers',
              i,
              'on',
            ]);
        });
        push('expression', type.id, x.guard, `${place}/guard`, label, [
          'types',
          t,
          'charts',
          k,
          'transitions',
          j,
          'guard',
        ]);
        push('statements', type.id, x.effect, `${place}/effect`, label, [
          'types',
          t,
          'charts',
          k,
          'transitions',
          j,
          'effect',
        ]);
      });
    });
  });
  // the pieces of a line keep their place in it: blanks stand for the rest
  const line = (
    scope: string,
    text: string,
    found: readonly LinePiece[],
    place: string,
    label: string,
    keys: readonly (string | number)[],
  ): void => {
    for (const { kind, start, end } of found)
      push(kind, scope, ' '.repeat(start) + text.slice(start, end), place, label, keys);
  };
  for (const [t, type] of project.types.entries()) {
    type.procedures.forEach((p, k) => {
      p.values.forEach((x, j) =>
        push(
          'expression',
          type.id,
          x.value,
          `type/${type.id}/procedure/${p.id}/value/${x.id}`,
          `value of ${p.name}.${x.name}`,
          ['types', t, 'procedures', k, 'values', j, 'value'],
        ),
      );
      p.lines.forEach((l, j) =>
        line(
          type.id,
          l.text,
          procedurePieces(l.text),
          `type/${type.id}/procedure/${p.id}/line/${l.id}`,
          `procedure ${p.name}`,
          ['types', t, 'procedures', k, 'lines', j, 'text'],
        ),
      );
    });
    type.sequences.forEach((q, k) =>
      q.lines.forEach((l, j) =>
        line(
          type.id,
          l.text,
          sequencePieces(l.text),
          `type/${type.id}/sequence/${q.id}/line/${l.id}`,
          `sequence ${q.name}`,
          ['types', t, 'sequences', k, 'lines', j, 'text'],
        ),
      ),
    );
  }
  const root = project.root;
  project.requirements.forEach((r, k) =>
    push('expression', root, r.formula, `requirement/${r.id}`, `requirement ${r.key}`, ['requirements', k, 'formula']),
  );
  project.glossary.forEach((g, k) =>
    push('expression', root, g.meaning, `glossary/${g.id}`, `glossary "${g.phrase}"`, ['glossary', k, 'meaning']),
  );
  project.setups.forEach((s, k) => {
    s.changes.forEach((c, j) =>
      push('path', root, c.name, `setup/${s.id}/change/${j}`, `setup ${s.name}`, ['setups', k, 'changes', j, 'name']),
    );
    push('expression', s.root || root, s.endWhen, `setup/${s.id}/endWhen`, `end of setup ${s.name}`, [
      'setups',
      k,
      'endWhen',
    ]);
    s.record.forEach((x, j) =>
      push('path', s.root || root, x, `setup/${s.id}/record/${j}`, `what setup ${s.name} records`, [
        'setups',
        k,
        'record',
        j,
      ]),
    );
    s.startIn.forEach((x, j) =>
      push('chart-path', s.root || root, x, `setup/${s.id}/startIn/${j}`, `start of setup ${s.name}`, [
        'setups',
        k,
        'startIn',
        j,
      ]),
    );
    s.stimulus.forEach(
      (x, j) =>
        x.kind === 'follow' &&
        push(
          'expression',
          s.root || root,
          x.value,
          `setup/${s.id}/stimulus/${x.id}/value`,
          `stimulus of setup ${s.name}`,
          ['setups', k, 'stimulus', j, 'value'],
        ),
    );
    s.stimulus.forEach((x, j) =>
      push(
        x.kind === 'send' ? 'message-path' : 'path',
        root,
        x.target,
        `setup/${s.id}/stimulus/${x.id}`,
        `stimulus of setup ${s.name}`,
        ['setups', k, 'stimulus', j, 'target'],
      ),
    );
  });
  project.panels.forEach((p, k) => {
    p.controls.forEach((c, j) => {
      const at = `panel/${p.id}/control/${c.id}`;
      const keys = ['panels', k, 'controls', j];
      push('message-path', root, c.release, at, `panel ${p.name}`, [...keys, 'release']);
      c.shapes.forEach((s, i) => {
        for (const key of ['x', 'y', 'width', 'height', 'turn', 'shown'] as const)
          push('expression', root, s[key], `${at}/shape/${s.id}`, `picture ${c.label}`, [...keys, 'shapes', i, key]);
        push('message-path', root, s.sends, `${at}/shape/${s.id}`, `picture ${c.label}`, [
          ...keys,
          'shapes',
          i,
          'sends',
        ]);
      });
      if (c.kind === 'verdict' || c.kind === 'text' || c.kind === 'picture') return;
      push(
        c.kind === 'button' ? 'message-path' : c.kind === 'lamp' ? 'expression' : 'path',
        root,
        c.target,
        `panel/${p.id}/control/${c.id}`,
        `panel ${p.name}`,
        ['panels', k, 'controls', j, 'target'],
      );
    });
  });
  project.tracks.forEach((t, k) =>
    t.items.forEach((item, j) =>
      push('chart-path', root, item, `track/${t.id}/${j}`, 'a track of the ribbon', ['tracks', k, 'items', j]),
    ),
  );
  return all;
}
