import { usePlace } from '@/store/place-store';
import { Button } from '@/ui/button';

/** Cases, what they come through, what they notice, versions that were frozen, and what is handed over. */
export function ProofTabs({
  here,
}: {
  readonly here: 'cases' | 'coverage' | 'strength' | 'baselines' | 'evidence' | 'builds';
}) {
  const { go } = usePlace.getState();
  return (
    <div className="btn-group" role="group" aria-label="Shown">
      {(
        [
          ['cases', '', 'Test cases'],
          ['coverage', 'coverage', 'Coverage'],
          ['strength', 'strength', 'Strength'],
          ['baselines', 'baselines', 'Baselines'],
          ['evidence', 'evidence', 'Evidence'],
          ['builds', 'builds', 'Builds'],
        ] as const
      ).map(([key, sheet, name]) => (
        <Button
          key={key}
          variant={here === key ? 'primary' : 'plain'}
          aria-pressed={here === key}
          onClick={() => go({ sheet, item: '' })}
        >
          {name}
        </Button>
      ))}
    </div>
  );
}
