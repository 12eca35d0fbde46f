'use client';
import { Plus, Trash2 } from 'lucide-react';
import { useMemo } from 'react';
import { directionOf } from '@/core/pins/channels';
import { namesOfRun } from '@/core/run/names-of-run';
import type { PartType, Project, Setup } from '@/core/project/project';
import { problemsAt } from '@/store/derived';
import { useProject } from '@/store/project-store';
import { Button } from '@/ui/button';
import { CellSelect } from '@/ui/cell-field';

type Wire = Setup['wires'][number];

const faults: readonly (readonly [Wire['fault'], string])[] = [
  ['loose', 'is loose'],
  ['noisy', 'is loose, with noise'],
  ['low', 'is held at 0 V'],
  ['high', 'is held at the supply'],
  ['swapped', 'is swapped with'],
  ['crossed', 'has its two lines crossed'],
  ['joined', 'is a jumper from'],
];

/** Wires between channels of software and the product that are not as they should be, put in on purpose. */
export function SetupWires({ project, setup }: { readonly project: Project; readonly setup: Setup }) {
  const problems = useProject((s) => s.problems);
  const parts = useMemo(() => {
    const withChannels = new Map(project.types.flatMap((t) => (t.channels.length > 0 ? [[t.name, t] as const] : [])));
    return namesOfRun(project, setup.root || project.root).flatMap((n) => {
      const type = n.kind === 'part' ? withChannels.get(n.detail) : undefined;
      return type ? [{ name: n.name, type }] : [];
    });
  }, [project, setup.root]);
  // as designed nothing goes over wires
  const hasWires = parts.some((p) => setup.stages.some((s) => s.part === p.name));
  if (!hasWires && setup.wires.length === 0) return null;
  const set = (wires: readonly Wire[], what: string): void =>
    void useProject
      .getState()
      .edit({ kind: 'update', list: 'setup', id: setup.id, changes: { wires } }, `${what} of ${setup.name}`);
  const put = (k: number, more: Partial<Wire>): void =>
    set(
      setup.wires.map((w, n) => (n === k ? { ...w, ...more } : w)),
      'Change a wire',
    );
  const all = parts.flatMap(({ name, type }) =>
    type.channels.map((c) => [`${name}.${c.name}`, `${name}.${c.name}`] as const),
  );
  const free = parts.flatMap(({ name, type }) =>
    type.channels.flatMap((c) =>
      setup.wires.some((w) => w.part === name && (w.channel === c.name || w.other === c.name))
        ? []
        : [{ part: name, channel: c.name, fault: 'loose' as const, other: '' }],
    ),
  );
  return (
    <>
      <h3 className="section-title">
        Wires
        {free.length > 0 && (
          <Button size="sm" onClick={() => set([...setup.wires, free[0]], 'Put a fault into a wire')}>
            <Plus size={13} aria-hidden /> Wire
          </Button>
        )}
      </h3>
      {setup.wires.length === 0 ? (
        <p className="px-3 quiet mb-1">Every wire of the board is sound.</p>
      ) : (
        <table className="table" data-testid="wires">
          <tbody>
            {setup.wires.map((w, k) => {
              const here = `${w.part}.${w.channel}`;
              const problem = problemsAt(problems, `setup/${setup.id}/wires/${k}`)[0]?.message;
              return (
                <tr key={k}>
                  <td style={{ width: '38%' }}>
                    <CellSelect
                      value={here}
                      label={`Wire ${k + 1}`}
                      options={all.some(([v]) => v === here) ? all : [[here, here], ...all]}
                      onCommit={(name) => {
                        const at = name.lastIndexOf('.');
                        put(k, { part: name.slice(0, at), channel: name.slice(at + 1), other: '' });
                      }}
                    />
                    {problem && <div className="field-problem">{problem}</div>}
                  </td>
                  <td>
                    <CellSelect
                      value={w.fault}
                      label={`What is wrong with wire ${k + 1}`}
                      options={faults}
                      onCommit={(fault) =>
                        put(k, {
                          fault: fault as Wire['fault'],
                          other: otherEnds(parts, { ...w, fault: fault as Wire['fault'] })[0] ?? '',
                        })
                      }
                    />
                  </td>
                  <td>
                    {(w.fault === 'swapped' || w.fault === 'joined') && (
                      <CellSelect
                        value={w.other}
                        label={`What wire ${k + 1} is ${w.fault === 'joined' ? 'joined to' : 'swapped with'}`}
                        options={[...new Set([w.other, ...otherEnds(parts, w)])].map((n) => [n, n] as const)}
                        onCommit={(other) => put(k, { other })}
                      />
                    )}
                  </td>
                  <td style={{ width: 40 }}>
                    <Button
                      variant="bare"
                      label={`Mend wire ${k + 1}`}
                      onClick={() =>
                        set(
                          setup.wires.filter((_, n) => n !== k),
                          'Mend a wire',
                        )
                      }
                    >
                      <Trash2 size={13} aria-hidden />
                    </Button>
                  </td>
                </tr>
              );
            })}
          </tbody>
        </table>
      )}
    </>
  );
}

/** Channels at whose pin a wire can end besides its own: those that lead the same way where two are swapped, those that lead out for a jumper. */
function otherEnds(
  parts: readonly { readonly name: string; readonly type: PartType }[],
  { part, channel, fault }: Wire,
): readonly string[] {
  const type = parts.find((p) => p.name === part)?.type;
  const own = type?.channels.find((c) => c.name === channel);
  if (!type || !own || (fault !== 'swapped' && fault !== 'joined')) return [];
  const way = fault === 'joined' ? 'out' : directionOf(type, own);
  return type.channels.flatMap((c) => (c !== own && directionOf(type, c) === way ? [c.name] : []));
}
