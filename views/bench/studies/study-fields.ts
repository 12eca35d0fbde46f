import { useEffect, useMemo, useState } from 'react';
import type { Problem } from '@/core/language/diagnostics';
import { setupOf, type Project, type Study } from '@/core/project/project';
import type { StudyFacts } from '@/core/studies/answer';
import { isBegun, studyMark } from '@/core/studies/study';
import { problemsAt } from '@/store/derived';
import { useProject } from '@/store/project-store';
import { useStudyState } from '@/store/study-store';
import { askFacts } from '@/store/studies-service';
import { useRunNames } from '@/ui/run-names';

/** What is known of what a study runs, asked a moment after something has changed. */
function useFacts(project: Project, study: Study) {
  const [known, setKnown] = useState<{ readonly facts?: StudyFacts; readonly problems: readonly Problem[] }>();
  const mark = useMemo(() => studyMark(study), [study]);
  const { types, libraries, setups, requirements, glossary, root, recordings } = project;
  useEffect(() => {
    if (typeof Worker === 'undefined') return;
    let asked: ReturnType<typeof askFacts> | undefined;
    let isOver = false;
    const timer = setTimeout(() => {
      asked = askFacts(project, study);
      asked.answer
        .then((a) => !isOver && a && setKnown({ problems: a.problems, ...(a.value && { facts: a.value }) }))
        .catch(() => undefined);
    }, 400);
    return () => {
      isOver = true;
      clearTimeout(timer);
      asked?.stop();
    };
    // the study by what it asks: its name and note change nothing
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [mark, types, libraries, setups, requirements, glossary, root, recordings]);
  return known;
}

export type StudyFields = ReturnType<typeof useStudyFields>;

/** How a study is changed, what is known of its fields and what is wrong with them. */
export function useStudyFields(project: Project, study: Study) {
  const { edit } = useProject.getState();
  const problems = useProject((s) => s.problems);
  const known = useFacts(project, study);
  const state = useStudyState(study.id);
  const names = useRunNames(setupOf(project, study) ?? { root: '' });
  const at = `study/${study.id}`;
  const own = [...(state.askedWith === studyMark(study) ? state.problems : []), ...(known?.problems ?? [])];
  return {
    at,
    names,
    state,
    facts: known?.facts,
    set: (changes: Partial<Study>, what: string) =>
      edit({ kind: 'update', list: 'study', id: study.id, changes }, `${what} of ${study.name}`),
    put: (
      list: 'value' | 'message' | 'aim' | 'column',
      id: string,
      changes: Readonly<Record<string, unknown>>,
      what: string,
    ) => edit({ kind: 'update', list: `${at}/${list}`, id, changes }, what),
    remove: (list: 'value' | 'message' | 'aim' | 'column', id: string, what: string) =>
      edit({ kind: 'remove', list: `${at}/${list}`, id }, what),
    problemOf: (place: string): string | undefined =>
      (problemsAt(problems, `${at}/${place}`)[0] ?? own.find((p) => p.place === `${at}/${place}`))?.message,
    /** What is wrong with it as a whole, or at a place that it does not show. */
    wrong: !isBegun(study)
      ? []
      : [
          ...new Set(
            [
              ...problemsAt(problems, at).filter((p) => p.place === at),
              ...own.filter((p) => p.place === at || !p.place?.startsWith(`${at}/`)),
            ].map((p) => p.message),
          ),
        ],
  };
}
