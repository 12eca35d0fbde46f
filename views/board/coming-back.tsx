'use client';
import { Check, ChevronRight } from 'lucide-react';
import { diffArrays } from 'diff';
import type { Complaint, Proposal, ReadBack } from '@/core/stepcode/read-back/read-back';
import { goTo } from '@/store/locate';
import { usePlace } from '@/store/place-store';
import { useProject } from '@/store/project-store';
import { Button } from '@/ui/button';

/** What an edited source says of the model: changes to be taken over, and lines that say nothing of it. */
export function ComingBack({
  found,
  isEdited,
  look,
}: {
  /** Undefined until it has been read. */
  readonly found: ReadBack | undefined;
  readonly isEdited: boolean;
  readonly look: (line: number) => void;
}) {
  if (!found)
    return (
      <aside className="coming-back" aria-label="What comes back">
        <p className="quiet">Reading what has been changed…</p>
      </aside>
    );
  const { proposals, complaints } = found;
  return (
    <aside className="coming-back" aria-label="What comes back" data-testid="coming-back">
      <div className="coming-head">
        <strong aria-live="polite">
          {proposals.length === 0
            ? 'Nothing to take over'
            : `${proposals.length} ${proposals.length === 1 ? 'change' : 'changes'} of the model`}
        </strong>
        {proposals.length > 1 && (
          <Button size="sm" variant="primary" onClick={() => takeOver(proposals)} data-testid="take-all">
            Take all over
          </Button>
        )}
      </div>
      {proposals.length + complaints.length === 0 && (
        <p className="quiet">
          {isEdited
            ? 'What is written says the same as the model.'
            : 'Change a guard, an effect, a formula, a time or a value: what the model would have to say for it is shown here. Text of your own stands between the marks for own includes and own functions.'}
        </p>
      )}
      <ul>
        {proposals.map((p) => (
          <ProposalRow key={p.place} proposal={p} look={look} />
        ))}
      </ul>
      {complaints.length > 0 && (
        <>
          <div className="coming-head">
            <strong>Not taken over</strong>
          </div>
          <ul>
            {complaints.map((c, k) => (
              <ComplaintRow key={k} complaint={c} look={look} />
            ))}
          </ul>
        </>
      )}
    </aside>
  );
}

function ProposalRow({ proposal, look }: { readonly proposal: Proposal; readonly look: (line: number) => void }) {
  const { label, was, becomes, lines, place } = proposal;
  return (
    <li className="proposal" data-place={place}>
      <div className="proposal-head">
        <button type="button" className="btn btn-bare btn-sm" onClick={() => goTo(place)} title="Opens it in the model">
          {label}
        </button>
        <LineButtons lines={lines.map((l) => l.from)} look={look} />
        <Button size="sm" className="ms-auto" onClick={() => takeOver([proposal])}>
          <Check size={13} aria-hidden /> Take over
        </Button>
      </div>
      <pre className="proposal-text">
        {diffArrays(wordsOf(was), wordsOf(becomes)).map(({ value, added, removed }, k) =>
          added ? <ins key={k}>{value.join('')}</ins> : removed ? <del key={k}>{value.join('')}</del> : value.join(''),
        )}
      </pre>
    </li>
  );
}

/** Names, numbers and signs each as a whole, and spaces. */
const wordsOf = (text: string): string[] => text.match(/\s+|[\p{L}_][\p{L}\p{N}_.]*|\d[\d.]*(?:e[+-]?\d+)?|./gu) ?? [];

function ComplaintRow({ complaint, look }: { readonly complaint: Complaint; readonly look: (line: number) => void }) {
  const { line, message, element } = complaint;
  return (
    <li className="complaint">
      <LineButtons lines={[line]} look={look} />
      <span>{message}</span>
      {element !== undefined && (
        <Button size="sm" variant="bare" label="Show what it follows from" onClick={() => goTo(element)}>
          <ChevronRight size={13} aria-hidden />
        </Button>
      )}
    </li>
  );
}

const LineButtons = ({ lines, look }: { readonly lines: readonly number[]; readonly look: (line: number) => void }) => (
  <>
    {lines.map((line) => (
      <button key={line} type="button" className="line-button" onClick={() => look(line)}>
        line {line}
      </button>
    ))}
  </>
);

function takeOver(proposals: readonly Proposal[]): void {
  const label =
    proposals.length === 1
      ? `Taken over from C: ${proposals[0].label}`
      : `${proposals.length} changes taken over from C`;
  const edits = proposals.map((p) => p.edit);
  const refused = useProject.getState().edit(edits.length === 1 ? edits[0] : { kind: 'batch', label, edits }, label);
  if (refused) usePlace.getState().say(refused.message);
}
