'use client';
import { useMemo } from 'react';
import type { PartType } from '@/core/project/project';
import { useProject } from '@/store/project-store';
import { FormulaEditor, type KnownName } from '@/ui/formula-editor';
import { namesIn } from '@/ui/known-names';

/** Texts of the chart are edited like all others: names completed, problems under the word. */
export function TextRow({
  type,
  label,
  value,
  place,
  more,
  onCommit,
}: {
  readonly type: PartType;
  readonly label: string;
  readonly value: string;
  readonly place: string;
  /** Names known here besides those of the part. */
  readonly more?: readonly KnownName[];
  readonly onCommit: (text: string) => void;
}) {
  const project = useProject((s) => s.project);
  const all = useProject((s) => s.problems);
  const problems = useMemo(() => all.filter((p) => p.place === place), [all, place]);
  const names = useMemo(() => (project ? [...(more ?? []), ...namesIn(project, type)] : []), [project, type, more]);
  return (
    <div className="px-3 py-1">
      <label className="quiet d-block">{label}</label>
      <FormulaEditor inline value={value} label={label} onChange={onCommit} problems={problems} names={names} />
    </div>
  );
}
