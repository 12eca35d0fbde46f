import { problem, type Problem } from '../language/diagnostics';
import type { Project } from '../project/project';
import { isFixedPoint, literal, storageOf } from './number-kinds';

/** What is wrong with how quantities are kept in code, as far as it can be seen without working anything out. */
export const checkNumbers = ({ types }: Project): readonly Problem[] =>
  types.flatMap((type) =>
    type.quantities.flatMap((q): readonly Problem[] => {
      if (q.number === 'usual') return [];
      const tell = (severity: Problem['severity'], message: string): readonly Problem[] => [
        { ...problem(severity, 'number', message), place: `type/${type.id}/quantity/${q.id}/number` },
      ];
      if (type.software.trim() === '')
        return tell('warning', `${type.name} is no software: ${q.name} is a number of the simulator, not ${q.number}`);
      if (q.role === 'constant')
        return tell('warning', `${q.name} is a constant: it stands in the code as the number it is`);
      const [min, max] = [q.min, q.max].map(literal);
      // formulas are worked out where the code is written
      const isOpen = isFixedPoint(q.number) && [q.min, q.max].some((t) => t.trim() !== '' && literal(t) === undefined);
      const storage = isOpen ? undefined : storageOf(q, min, max);
      return typeof storage === 'string' ? tell('error', storage) : [];
    }),
  );
