import { Fragment } from 'react';
import { showFormula } from '@/core/requirements/read-limit';

/** A formula to read: units without quotes, and lines broken after brackets and commas rather than inside names. */
export function FormulaText({ formula }: { readonly formula: string }) {
  return (
    <>
      {showFormula(formula)
        .split(/(?<=[(.])/)
        .map((piece, k) => (
          <Fragment key={k}>
            {k > 0 && <wbr />}
            {piece}
          </Fragment>
        ))}
    </>
  );
}
