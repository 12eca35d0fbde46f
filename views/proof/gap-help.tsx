'use client';
import { useEffect, useRef, useState } from 'react';
import type { Came, Item } from '@/core/coverage/came';
import type { NearestMiss } from '@/core/proof/nearest-miss';
import type { Proposal } from '@/core/proof/propose-case';
import type { Project } from '@/core/project/project';
import { askForCase, askForNearest } from '@/store/coverage-store';
import { usePlace } from '@/store/place-store';
import { useProject } from '@/store/project-store';
import { Button } from '@/ui/button';
import { formatNumber } from '@/ui/format';

type State =
  | { readonly kind: 'idle' }
  | { readonly kind: 'asking'; readonly share: number }
  | { readonly kind: 'found'; readonly proposal: Proposal }
  | { readonly kind: 'told'; readonly text: string };

/** What can be done about something that no case comes through: how near one came, and a case that would. */
export function GapHelp({
  project,
  item,
  came,
  cases,
  hasNumbers,
}: {
  readonly project: Project;
  readonly item: Item;
  readonly came: Came;
  readonly cases: readonly string[];
  /** Numbers are compared where it is decided. */
  readonly hasNumbers: boolean;
}) {
  const [state, setState] = useState<State>({ kind: 'idle' });
  const stop = useRef<(() => void) | undefined>(undefined);
  useEffect(() => () => stop.current?.(), []);
  const tell = (text: string): void => setState({ kind: 'told', text });
  const propose = async (): Promise<void> => {
    setState({ kind: 'asking', share: 0 });
    const asked = askForCase(project, item.of.typeId, item, came, (share) =>
      setState((s) => (s.kind === 'asking' ? { kind: 'asking', share } : s)),
    );
    stop.current = asked.stop;
    try {
      const answer = await asked.answer;
      if (!answer) setState({ kind: 'idle' });
      else if ('proposal' in answer) setState({ kind: 'found', proposal: answer.proposal });
      else tell(answer.problem.message);
    } catch (error) {
      tell(error instanceof Error ? error.message : String(error));
    }
  };
  const near = async (): Promise<void> => {
    setState({ kind: 'asking', share: 0 });
    const asked = askForNearest(project, cases, item);
    stop.current = asked.stop;
    try {
      const miss = await asked.answer;
      if (miss === undefined) setState({ kind: 'idle' });
      else tell(miss === null ? 'No case came to where a number is compared here.' : nearText(miss));
    } catch (error) {
      tell(error instanceof Error ? error.message : String(error));
    }
  };
  const keep = (proposal: Proposal): void => {
    const { edit } = useProject.getState();
    const refused = edit({ kind: 'insert', list: 'case', entry: proposal.value }, 'Keep the proposed case');
    if (refused) usePlace.getState().say(refused.message);
    else usePlace.getState().go({ area: 'proof', sheet: `case/${proposal.value.id}` });
  };
  switch (state.kind) {
    case 'idle':
      return (
        <>
          {hasNumbers && cases.length > 0 && (
            <Button size="sm" onClick={() => void near()} title="How near a case came to it">
              How near
            </Button>
          )}
          <Button size="sm" onClick={() => void propose()} title="Look for a case that comes through it">
            Propose
          </Button>
        </>
      );
    case 'asking':
      return (
        <>
          <span className="quiet" role="status">
            looking{state.share > 0 && `, ${Math.round(100 * state.share)} %`}
          </span>
          <Button size="sm" onClick={() => stop.current?.()}>
            Stop
          </Button>
        </>
      );
    case 'told':
      return (
        <div className="coverage-found">
          <p className="m-0">{state.text}</p>
          <Button size="sm" onClick={() => setState({ kind: 'idle' })}>
            Close
          </Button>
        </div>
      );
    case 'found':
      return (
        <div className="coverage-found" data-testid="proposal">
          <p className="m-0">
            Found in {state.proposal.tries} tries: these lines, with the part alone, come through it.
          </p>
          <pre className="mono">{state.proposal.value.script}</pre>
          <Button size="sm" variant="primary" onClick={() => keep(state.proposal)}>
            Keep it as a case
          </Button>
          <Button size="sm" onClick={() => setState({ kind: 'idle' })}>
            Leave it
          </Button>
        </div>
      );
  }
}

const nearText = ({ of, time, left, right, leftValue, rightValue, unit, gap }: NearestMiss): string => {
  const values = `${left} was ${formatNumber(leftValue, 4)}${unit && ` ${unit}`} where ${right} was ${formatNumber(rightValue, 4)}${unit && ` ${unit}`}`;
  return `Nearest in ${of.name} at ${formatNumber(time, 4)} s: ${values}${gap <= 0 ? '; it held there, but never together with the rest' : ''}.`;
};
