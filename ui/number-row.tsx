'use client';
import type { Problem } from '@/core/language/diagnostics';
import { CellField } from './cell-field';
import { FieldRow } from './field-row';

interface NumberProps {
  readonly value: number;
  readonly label: string;
  readonly onNumber: (value: number) => Problem | undefined;
  /** Only whole numbers. */
  readonly whole?: boolean;
  /** Unit that may be typed behind the number. */
  readonly unit?: string;
  readonly problem?: string | undefined;
}

/** A field for a number; what is none is refused where it is typed. */
export function NumberCell({ value, label, onNumber, whole, unit, problem }: NumberProps) {
  return (
    <CellField
      value={String(value)}
      label={label}
      mono
      problem={problem}
      onCommit={(text) => {
        const typed = text.trim();
        const bare = unit !== undefined && typed.endsWith(unit) ? typed.slice(0, -unit.length) : typed;
        // digits of whole numbers may be grouped
        const plain = whole ? bare.replace(/[\s,]/g, '') : bare.trim();
        const x = plain === '' ? NaN : Number(plain);
        return (whole ? Number.isInteger(x) : Number.isFinite(x))
          ? onNumber(x)
          : {
              severity: 'error',
              code: 'number',
              message: `"${text}" is ${whole ? 'no whole number' : 'not a number'}`,
            };
      }}
    />
  );
}

/** The same beside its name, with what is counted behind it. */
export function NumberRow({ name, after, ...rest }: NumberProps & { readonly name: string; readonly after?: string }) {
  return (
    <FieldRow label={name} className="d-flex align-items-baseline gap-2">
      <span className="short-field">
        <NumberCell {...rest} />
      </span>
      {after !== undefined && <span className="quiet">{after}</span>}
    </FieldRow>
  );
}
