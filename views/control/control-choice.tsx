'use client';
import { usePlace } from '@/store/place-store';
import { Button } from '@/ui/button';

/** What of the control of a part type is looked at. */
export function ControlChoice() {
  const sheet = usePlace((s) => s.sheet);
  const { go } = usePlace.getState();
  const at = sheet === 'loop' || sheet === 'probe' || sheet === 'learnt' ? sheet : '';
  const choice = (name: string, text: string) => (
    <Button active={at === name} aria-pressed={at === name} onClick={() => go({ sheet: name, item: '' })}>
      {text}
    </Button>
  );
  return (
    <span className="btn-group btn-group-sm flex-shrink-0" role="group" aria-label="What of the control">
      {choice('', 'Sheet')}
      {choice('loop', 'Loop')}
      {choice('probe', 'What it is')}
      {choice('learnt', 'What it learns')}
    </span>
  );
}
