'use client';
import { Check, Link2Off, Unlink } from 'lucide-react';
import { useMemo, useState } from 'react';
import { elementIndex } from '@/core/trace/elements';
import { confirmEdit, whyNotSound, type CheckedLink } from '@/core/trace/links';
import { goTo } from '@/store/locate';
import { usePlace } from '@/store/place-store';
import { useProject } from '@/store/project-store';
import { link, linkPair, unlink, useLinksOf } from '@/store/trace';
import { Button } from './button';
import { useImpact } from './impact';
import { LinkableBox, LinkHandle } from './linkable';

/** The trace links of one thing: jumps, confirming, removing, and finding more to link. */
export function TraceLinks({ address, what }: { readonly address: string; readonly what: string }) {
  const links = useLinksOf(address);
  const isRequirement = address.startsWith('requirement/');
  const { edit } = useProject.getState();
  const project = useProject((s) => s.project);
  const suspects = links.filter((l) => l.state === 'suspect');
  const confirm = (some: readonly CheckedLink[]): void => {
    if (project) edit(confirmEdit(project, some), some.length === 1 ? 'Confirm a trace link' : 'Confirm trace links');
  };
  return (
    <section aria-label="Trace links">
      <h3 className="section-title">
        {isRequirement ? 'Linked elements' : 'Requirements'}
        <Button size="sm" onClick={() => useImpact.getState().show(address)} data-testid="show-impact">
          Impact
        </Button>
      </h3>
      <LinkableBox address={address} element="" className="px-3 pb-2 drop-zone">
        {links.length === 0 && (
          <p className="quiet mb-1">{isRequirement ? 'Nothing is linked yet.' : 'No requirement is linked yet.'}</p>
        )}
        <ul className="link-list" data-testid="trace-links">
          {links.map((l) => (
            <LinkLine key={l.link.id} line={l} here={address} confirm={() => confirm([l])} />
          ))}
        </ul>
        {suspects.length > 1 && (
          <Button size="sm" onClick={() => confirm(suspects)}>
            <Check size={13} aria-hidden /> All {suspects.length} still hold
          </Button>
        )}
        {links.length > 1 && (
          <Button size="sm" variant="bare" onClick={() => unlink(links, `Remove all links of ${what}`)}>
            <Unlink size={13} aria-hidden /> Remove all {links.length}
          </Button>
        )}
        <FindToLink address={address} />
      </LinkableBox>
    </section>
  );
}

function LinkLine({
  line,
  here,
  confirm,
}: {
  readonly line: CheckedLink;
  readonly here: string;
  readonly confirm: () => void;
}) {
  const other = here === `requirement/${line.link.requirement}` ? line.element : line.requirement;
  const target = other?.address;
  return (
    <li className={line.state} data-state={line.state}>
      <div className="d-flex align-items-baseline gap-1">
        {other && target ? (
          <button
            type="button"
            className="btn btn-link p-0 text-start"
            style={{ fontSize: 'inherit', whiteSpace: 'normal' }}
            onClick={() => goTo(target)}
            title={other.kind === 'requirement' ? other.content.split('|')[0] : other.kind}
          >
            {other.label}
          </button>
        ) : (
          <span className="bad-ink">gone</span>
        )}
        <span className="quiet text-truncate" style={{ fontSize: '0.9em', flex: 1 }}>
          {other?.kind === 'requirement' ? other.content.split('|')[0] : other?.kind}
        </span>
        <Button
          variant="bare"
          label={`Remove the link to ${other?.label ?? 'what is gone'}`}
          onClick={() => unlink([line], 'Remove a trace link')}
        >
          <Link2Off size={13} aria-hidden />
        </Button>
      </div>
      {line.state !== 'sound' && (
        <div className="field-problem">
          <span>{whyNotSound(line)}</span>
          {line.state === 'suspect' && (
            <Button size="sm" onClick={confirm} data-testid="confirm-link">
              <Check size={13} aria-hidden /> It still holds
            </Button>
          )}
        </div>
      )}
    </li>
  );
}

const mostFound = 8;

/** Search over what this can be linked to; results can be clicked or dragged. */
function FindToLink({ address }: { readonly address: string }) {
  const project = useProject((s) => s.project);
  const [text, setText] = useState('');
  const isRequirement = address.startsWith('requirement/');
  const found = useMemo(() => {
    const words = text.toLowerCase().split(/\s+/).filter(Boolean);
    if (!project || words.length === 0) return [];
    const results = [];
    for (const e of elementIndex(project).all) {
      if (isRequirement === (e.kind === 'requirement')) continue;
      const hay = (e.kind === 'requirement' ? `${e.label} ${e.content}` : `${e.label} ${e.kind}`).toLowerCase();
      if (words.every((w) => hay.includes(w))) results.push(e);
      if (results.length >= mostFound) break;
    }
    return results;
  }, [project, text, isRequirement]);
  return (
    <div className="mt-1">
      <input
        className="form-control form-control-sm"
        value={text}
        onChange={(e) => setText(e.target.value)}
        placeholder={isRequirement ? 'Link to … (part, quantity, state, equation)' : 'Link to requirement …'}
        aria-label="Find something to link"
        onKeyDown={(e) => {
          if (e.key === 'Escape') setText('');
          if (e.key === 'Enter' && found[0]) {
            linkPair(address, found[0].address);
            setText('');
          }
        }}
      />
      <ul className="link-list mt-1">
        {found.map((e) => (
          <li key={e.address} className="d-flex align-items-baseline gap-1">
            <LinkHandle address={e.address} label={e.label} from="found">
              <button
                type="button"
                className="btn btn-link p-0 text-start"
                style={{ fontSize: 'inherit', whiteSpace: 'normal' }}
                onClick={() => {
                  linkPair(address, e.address);
                  setText('');
                }}
              >
                {e.label}
              </button>
            </LinkHandle>
            <span className="quiet text-truncate" style={{ fontSize: '0.9em' }}>
              {e.kind === 'requirement' ? e.content.split('|')[0] : e.kind}
            </span>
          </li>
        ))}
      </ul>
    </div>
  );
}

/** Links many requirements with one element, from the bulk bar of the requirement table. */
export function LinkManyField({
  requirements,
  done,
}: {
  readonly requirements: readonly string[];
  readonly done: () => void;
}) {
  const project = useProject((s) => s.project);
  const [text, setText] = useState('');
  const options = useMemo(() => {
    if (!project || text.trim() === '') return [];
    const words = text.toLowerCase().split(/\s+/);
    return elementIndex(project)
      .all.filter(
        (e) => e.kind !== 'requirement' && words.every((w) => `${e.label} ${e.kind}`.toLowerCase().includes(w)),
      )
      .slice(0, mostFound);
  }, [project, text]);
  const take = (address: string): void => {
    if (link(requirements, [address], `Link ${requirements.length} requirements`))
      usePlace.getState().say(`${requirements.length} requirements linked`, 'note');
    setText('');
    done();
  };
  return (
    <span className="link-many">
      <input
        className="form-control form-control-sm"
        placeholder="Link the chosen ones to …"
        aria-label="Link the chosen requirements to"
        value={text}
        onChange={(e) => setText(e.target.value)}
        onKeyDown={(e) => e.key === 'Enter' && options[0] && take(options[0].address)}
      />
      {options.length > 0 && (
        <ul className="floating-list">
          {options.map((e) => (
            <li key={e.address}>
              <button type="button" onClick={() => take(e.address)}>
                {e.label} <span className="quiet">{e.kind}</span>
              </button>
            </li>
          ))}
        </ul>
      )}
    </span>
  );
}
