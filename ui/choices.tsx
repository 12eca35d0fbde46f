import type { ReactNode } from 'react';

export interface Choice {
  readonly key: string;
  readonly text: ReactNode;
  /** Address of what it stands for. */
  readonly element?: string;
}

/** One of a few, each a button; wraps where there is no room. */
export function Choices({
  label,
  choices,
  chosen,
  onChoose,
}: {
  readonly label: string;
  readonly choices: readonly Choice[];
  readonly chosen: string | undefined;
  readonly onChoose: (key: string) => void;
}) {
  return (
    <div className="setup-tabs" role="radiogroup" aria-label={label}>
      {choices.map((c) => (
        <button
          key={c.key}
          type="button"
          role="radio"
          {...(c.element !== undefined && { 'data-element': c.element })}
          aria-checked={c.key === chosen}
          className={`btn btn-sm ${c.key === chosen ? 'btn-primary' : 'btn-plain'}`}
          onClick={() => onChoose(c.key)}
        >
          {c.text}
        </button>
      ))}
    </div>
  );
}
