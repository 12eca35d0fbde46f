import { legalName } from '../stepcode/c-names';
import type { MakeCompiled } from '../stepcode/stage';
import { writeC } from '../stepcode/write-c';
import { sourceOf, isSameSource, type BoardImage } from './board-image';
import { boardOf } from './board';
import { readElf } from './elf';
import { hostSource, stepOnHostBuild, type HostBuild } from './host-build';
import { functionsOf, misfits, stepOnBoard } from './step-on-board';

/** What compilers have made for the parts of a run; it can be sent to whoever runs it. */
export interface BuiltSteps {
  /** For boards. */
  readonly images: readonly BoardImage[];
  /** For the machine that compiled them, which goes their steps. */
  readonly hosts: readonly HostBuild[];
  /** Why something is not there. */
  readonly missing: readonly string[];
}
export const nothingBuilt: BuiltSteps = { images: [], hosts: [], missing: [] };

/** Of several runs, each thing once. */
export const builtTogether = (all: readonly BuiltSteps[]): BuiltSteps => ({
  images: [...new Set(all.flatMap((b) => b.images))],
  hosts: [...new Map(all.flatMap((b) => b.hosts.map((h) => [h.id, h] as const))).values()],
  missing: [...new Set(all.flatMap((b) => b.missing))],
});

/** Steps out of what is at hand. `goStep`: asks the machine that has a build. */
export const fromBuilt =
  (
    { images, hosts, missing }: BuiltSteps,
    goStep?: (build: HostBuild, question: Uint8Array) => Uint8Array,
  ): MakeCompiled =>
  (program, outside, lines = [], serial) => {
    if (!outside) {
      const source = hostSource(program);
      const build = hosts.find((h) => isSameSource(h.source, source));
      if (!build || !goStep)
        return missing[0] ?? `There is no compiled C of ${legalName(program.name)}, as it is now, at hand`;
      return { create: () => stepOnHostBuild(program, build, (question) => goStep(build, question)) };
    }
    const board = boardOf(outside);
    const source = sourceOf(program, board, lines, serial);
    const image = images.find((i) => i.board === board.id && isSameSource(i.source, source));
    if (!image) return missing[0] ?? `There is no image of ${legalName(program.name)}, as it is now, for ${board.name}`;
    const elf = readElf(image.elf);
    if (typeof elf === 'string') return elf;
    const [wrong] = misfits(elf, board);
    return (
      wrong ??
      stepOnBoard(
        program,
        { image: elf, layout: image.layout, functions: functionsOf(writeC(program).source) },
        board,
        lines,
      )
    );
  };
