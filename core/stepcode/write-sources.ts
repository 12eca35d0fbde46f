import type { Problem } from '../language/diagnostics';
import type { PartType, Project } from '../project/project';
import { legalName } from './c-names';
import { stepProgramOf } from './controller';
import type { Storage } from './number-kinds';
import type { StepProgram } from './step-program';
import { writeC, type CSource, type SourceLine } from './write-c';
import { writeFmi } from './write-fmi';
import { writeHarness } from './write-harness';

/** Everything that is written for a controller, by file name. */
export interface Sources {
  readonly program: StepProgram;
  readonly files: ReadonlyMap<string, string>;
  readonly map: readonly SourceLine[];
  /** The same as a unit for co-simulation, by path in its archive. */
  readonly unit: ReadonlyMap<string, string>;
  readonly numbers: readonly KeptQuantity[];
}

/** A quantity that is not kept as usual. */
export interface KeptQuantity {
  readonly quantity: string;
  readonly storage: Storage;
  /** What of its formula is no whole number, so that it is worked out in single precision. */
  readonly float?: string;
}

export function sourcesOf(
  project: Project,
  type: PartType,
  every?: number,
): { readonly value?: Sources; readonly problems: readonly Problem[] } {
  const { program, problems } = stepProgramOf(project, type, every);
  if (!program) return { problems };
  const c = writtenC(project, type, program);
  const own = legalName(program.name);
  return {
    problems,
    value: {
      program,
      map: c.map,
      unit: writeFmi(program, c).files,
      numbers: keptIn(program),
      files: new Map([
        [`${own}.h`, c.header],
        [`${own}.c`, c.source],
        [`${own}_test.c`, writeHarness(program, c)],
        ['Makefile', makefile(own)],
        [`${own}.map.json`, `${JSON.stringify(mapFile(program, own, c.map), null, 1)}\n`],
      ]),
    },
  };
}

/** The C of a part type, with the keys of requirements and with what somebody has added. */
export function writtenC(project: Project, type: PartType, program: StepProgram): CSource {
  const keys = new Map(project.requirements.map((r) => [r.id, r.key]));
  return writeC(program, {
    keysOf: (element) => project.traces.flatMap((t) => (t.element === element ? (keys.get(t.requirement) ?? []) : [])),
    own: { includes: type.ownIncludes, functions: type.ownFunctions },
  });
}

function keptIn({ slots }: StepProgram): readonly KeptQuantity[] {
  const found = new Map<string, KeptQuantity>();
  for (const { name, storage, float } of slots)
    if (storage && !storage.isProven && !name.includes('.') && !(found.has(name) && float === undefined))
      found.set(name, { quantity: name, storage, ...(float !== undefined && { float }) });
  return [...found.values()];
}

/** Which lines are of which element, the innermost last. */
const mapFile = (program: StepProgram, own: string, map: readonly SourceLine[]): object => ({
  program: program.name,
  period: program.period,
  lines: map.map(({ file, from, to, element }) => ({
    file: file === 'header' ? `${own}.h` : `${own}.c`,
    from,
    to,
    element,
  })),
});

const makefile = (own: string): string => `# Builds ${own} and a program that steps it on lines of inputs.
CC ?= cc
CFLAGS ?= -std=c99 -O2 -Wall -Wextra -Wconversion -Wshadow -ffp-contract=off

${own}_test: ${own}_test.o ${own}.o
\t$(CC) -o $@ $^ -lm

%.o: %.c ${own}.h
\t$(CC) $(CFLAGS) -c -o $@ $<

clean:
\trm -f ${own}_test ${own}_test.o ${own}.o

.PHONY: clean
`;
