import { OctagonX, TriangleAlert } from 'lucide-react';
import type { Problem } from '@/core/language/diagnostics';

/** Says what is wrong with an element of a drawing; errors and warnings have different signs, as in the list of problems. */
export function TroubleMark({ problem }: { readonly problem: Problem | undefined }) {
  if (!problem) return null;
  const isError = problem.severity === 'error';
  const Icon = isError ? OctagonX : TriangleAlert;
  return (
    <span className="trouble-mark" title={problem.message}>
      <Icon size={12} aria-label={`${isError ? 'error' : 'warning'}: ${problem.message}`} />
    </span>
  );
}
