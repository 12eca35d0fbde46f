import type { ReactNode } from 'react';

/** A name on the left, and what has that name beside it. */
export function FieldRow({
  label,
  className,
  children,
}: {
  readonly label: ReactNode;
  readonly className?: string;
  readonly children: ReactNode;
}) {
  return (
    <div className="field-row">
      <label>{label}</label>
      <div className={className}>{children}</div>
    </div>
  );
}
