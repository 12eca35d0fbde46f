'use client';
import { nanoid } from 'nanoid';
import { useEffect, useRef, type ClipboardEvent, type KeyboardEvent } from 'react';
import { readRows } from '@/core/clipping/rows-text';
import type { FlowLine } from '@/core/project/project';
import { indentBlock, shiftBlock } from '@/core/flows/edit-flow';
import type { FlowProblem } from '@/core/flows/read-flow';
import { readLine, takesLines } from '@/core/lines/flow-line';
import { usePlace } from '@/store/place-store';
import { useProject } from '@/store/project-store';
import { LinkableBox, LinkCount } from '../linkable';
import type { StepHolder } from './step-holder';

const newLineId = (): string => `z-${nanoid(6)}`;

/** The lines of a flow or procedure: Enter makes the next one, Tab moves it into the line above, Alt and arrows move it about. */
export function StepLines({
  flow,
  problems,
}: {
  readonly flow: StepHolder;
  readonly problems: readonly FlowProblem[];
}) {
  const item = usePlace((s) => s.item);
  const { select } = usePlace.getState();
  const { edit } = useProject.getState();
  const box = useRef<HTMLDivElement>(null);
  const wanted = useRef<{ id: string; at: 'start' | 'end' } | undefined>(undefined);
  useEffect(() => {
    const target =
      wanted.current && box.current?.querySelector<HTMLTextAreaElement>(`textarea[data-line="${wanted.current.id}"]`);
    if (!target) return;
    target.focus();
    const at = wanted.current!.at === 'start' ? 0 : target.value.length;
    target.setSelectionRange(at, at);
    wanted.current = undefined;
  });
  const change = (lines: readonly FlowLine[], label: string, merge?: string): void =>
    void edit({ kind: 'update', list: flow.list ?? 'flow', id: flow.id, changes: { lines } }, label, merge);
  const focus = (id: string | undefined, at: 'start' | 'end' = 'end'): void => {
    if (id === undefined) return;
    wanted.current = { id, at };
    select(`line/${id}`);
    box.current?.querySelector<HTMLTextAreaElement>(`textarea[data-line="${id}"]`)?.focus();
  };
  const keys = (e: KeyboardEvent<HTMLTextAreaElement>, line: FlowLine, k: number): void => {
    const { lines } = flow;
    const field = e.currentTarget;
    const at = field.selectionStart ?? 0;
    if (e.key === 'Enter') {
      e.preventDefault();
      const id = newLineId();
      const [before, after] = [line.text.slice(0, at), line.text.slice(at)];
      const inside = (flow.holds ? flow.holds(before) : takesLines.has(readLine(before).kind)) && after === '';
      const depth = inside ? line.depth + 1 : line.depth;
      change(
        [
          ...lines.slice(0, k),
          { ...line, text: before },
          { id, depth, text: after.trimStart() },
          ...lines.slice(k + 1),
        ],
        'Add a step',
      );
      wanted.current = { id, at: 'start' };
      select(`line/${id}`);
    } else if (e.key === 'Tab' && !(e.ctrlKey || e.metaKey)) {
      const next = indentBlock(flow, line.id, e.shiftKey ? -1 : 1);
      // where nothing can move, Tab leaves the lines as it leaves any field
      if (!next) return;
      e.preventDefault();
      edit(next, 'Move a step');
    } else if (e.key === 'Backspace' && at === 0 && field.selectionEnd === 0) {
      if (line.depth > 0 && line.text !== '') {
        e.preventDefault();
        const next = indentBlock(flow, line.id, -1);
        if (next) edit(next, 'Move a step');
      } else if (k > 0 && (line.text === '' || lines[k - 1].text === '')) {
        e.preventDefault();
        const above = lines[k - 1];
        const hasMore = lines[k + 1] !== undefined && lines[k + 1].depth > line.depth && line.text === '';
        if (hasMore) return;
        if (line.text === '') {
          change([...lines.slice(0, k), ...lines.slice(k + 1)], 'Delete a step');
          focus(above.id);
        } else {
          change([...lines.slice(0, k - 1), ...lines.slice(k)], 'Delete a step');
          focus(line.id, 'start');
        }
      }
    } else if (e.altKey && (e.key === 'ArrowUp' || e.key === 'ArrowDown')) {
      e.preventDefault();
      const next = shiftBlock(flow, line.id, e.key === 'ArrowUp' ? -1 : 1);
      if (next) edit(next, 'Move a step');
      wanted.current = { id: line.id, at: 'end' };
    } else if (e.key === 'ArrowUp') {
      e.preventDefault();
      focus(lines[k - 1]?.id);
    } else if (e.key === 'ArrowDown') {
      e.preventDefault();
      focus(lines[k + 1]?.id);
    }
  };
  /** Several lines at once become lines, as deep as they stand below one another. */
  const pasteLines = (e: ClipboardEvent<HTMLTextAreaElement>, line: FlowLine, k: number): void => {
    const text = e.clipboardData.getData('text/plain');
    if (!/\n./.test(text.trim()) || text.trimStart().startsWith('{')) return;
    const { project } = useProject.getState();
    const read = project && readRows(project, text, flow.address, 'line');
    if (!read) return;
    e.preventDefault();
    if ('refused' in read) return usePlace.getState().say(read.refused);
    const least = Math.min(...read.pieces.map((p) => Number(p.entry.depth)));
    const made = read.pieces.map((p): FlowLine => ({
      id: newLineId(),
      depth: Math.min(40, Number(p.entry.depth) - least + line.depth),
      text: String(p.entry.text),
    }));
    // an empty line gives way to what comes
    const kept = flow.lines.length === 0 || line.text.trim() === '' ? k : k + 1;
    change([...flow.lines.slice(0, kept), ...made, ...flow.lines.slice(k + 1)], `Paste ${made.length} lines`);
    wanted.current = { id: made.at(-1)!.id, at: 'end' };
  };
  const lines = flow.lines.length > 0 ? flow.lines : [{ id: 'first', depth: 0, text: '' }];
  return (
    <div className="flow-lines" ref={box} data-testid="flow-lines">
      {lines.map((line, k) => {
        const kind = flow.kindOf ? flow.kindOf(line.text) : readLine(line.text).kind;
        const said = flow.said?.get(line.id);
        const problem = problems.find((p) => p.line === line.id);
        return (
          <LinkableBox
            key={line.id}
            address={`${flow.address}/line/${line.id}`}
            className={`flow-line ${kind}${item === `line/${line.id}` ? ' here' : ''}${flow.active?.has(line.id) ? ' active' : ''}`}
            style={{ paddingLeft: 10 + line.depth * 20 }}
          >
            <div className="d-flex align-items-center gap-1">
              <textarea
                rows={1}
                className={`cell-field${problem ? ' wrong' : ''}`}
                data-line={line.id}
                value={line.text}
                aria-label={`Line ${k + 1}`}
                spellCheck
                placeholder={k === 0 ? flow.hint : ''}
                onFocus={() => select(`line/${line.id}`)}
                onKeyDown={(e) => keys(e, line, k)}
                onPaste={(e) => pasteLines(e, line, k)}
                autoComplete="off"
                onChange={(e) =>
                  change(
                    flow.lines.length > 0
                      ? flow.lines.map((l) => (l.id === line.id ? { ...l, text: e.target.value } : l))
                      : [{ id: 'first', depth: 0, text: e.target.value }],
                    flow.writing,
                    `line-${line.id}`,
                  )
                }
              />
              {said && <span className={`said ${said.tone}`}>{said.text}</span>}
              <LinkCount address={`${flow.address}/line/${line.id}`} always />
            </div>
            {problem && (
              <div className="field-problem" role="alert">
                {problem.message}
              </div>
            )}
          </LinkableBox>
        );
      })}
      <details className="line-help">
        <summary>What lines can say</summary>
        <dl>
          {flow.forms.map(([form, meaning]) => (
            <div key={form}>
              <dt className="mono">{form}</dt>
              <dd>{meaning}</dd>
            </div>
          ))}
        </dl>
        <p className="quiet">Enter: next line. Tab, Shift+Tab: further in, further out. Alt with arrows: move.</p>
      </details>
    </div>
  );
}
