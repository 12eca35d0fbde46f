'use client';
import { Download, RefreshCw } from 'lucide-react';
import { useCallback, useEffect, useRef, useState } from 'react';
import { boardsOf, type Board } from '@/core/boards/board';
import type { BoardImage } from '@/core/boards/board-image';
import { readElf, type ElfFile } from '@/core/boards/elf';
import { misfits } from '@/core/boards/step-on-board';
import type { PartType, Project } from '@/core/project/project';
import { imageOf, isShipped } from '@/store/images';
import { useRuns } from '@/store/run-store';
import { Button } from '@/ui/button';
import { download } from '@/ui/download';
import { formatNumber } from '@/ui/format';

/** What was made of the code for a board. */
interface Made {
  /** The document it was made of. */
  readonly project: Project;
  readonly image?: BoardImage;
  readonly elf?: ElfFile;
  /** Seconds it took. */
  readonly seconds: number;
  /** Why it is not there; empty where it is. */
  readonly problem: string;
}

/** The images of software: made for each board, with what the compiler says, and how much of the board they take. */
export function BuildSheet({ project, type }: { readonly project: Project; readonly type: PartType }) {
  return (
    <div className="pane-body" data-testid="build">
      {boardsOf(project).map((b) => (
        <OneBoard key={b.id} board={b} project={project} type={type} />
      ))}
    </div>
  );
}

function OneBoard({
  board,
  project,
  type,
}: {
  readonly board: Board;
  readonly project: Project;
  readonly type: PartType;
}) {
  const [made, setMade] = useState<Made>();
  const [isMaking, setMaking] = useState(false);
  const turn = useRef(0);
  const make = useCallback((): void => {
    const own = ++turn.current;
    const began = performance.now();
    setMaking(true);
    void imageOf(project, type, board.id).then((image) => {
      if (own !== turn.current) return;
      setMaking(false);
      const seconds = (performance.now() - began) / 1000;
      if (typeof image === 'string') return setMade({ project, seconds, problem: image });
      if (!image) return setMade({ project, seconds, problem: `${type.name} cannot be put into code as it is` });
      const elf = readElf(image.elf);
      setMade(
        typeof elf === 'string' ? { project, seconds, problem: elf } : { project, image, elf, seconds, problem: '' },
      );
    });
  }, [project, type, board]);
  // made when it is first looked at; what was changed since is said
  const first = useRef(make);
  useEffect(() => {
    const told = turn;
    first.current();
    return () => void told.current++;
  }, []);
  const stack = useRuns((s) => {
    const staged = s.current?.model.stages?.find((x) => x.stage === 'board' && x.board === board.name);
    return staged && s.current?.profiles?.find((p) => p.part === staged.part)?.stack;
  });
  const sizes = made?.elf?.sizes;
  const lines = made?.image?.source.split('\n').length ?? 0;
  return (
    <section className="build-board" aria-label={board.name} data-board={board.id}>
      <h3 className="section-title">
        {board.name}
        <span className="quiet fw-normal">{board.note}</span>
        <span style={{ flex: 1 }} />
        {made?.image && (
          <Button
            size="sm"
            label={`Save the image for ${board.name}`}
            onClick={() =>
              download(`${type.name}-${board.id}.elf`, 'application/octet-stream', new Uint8Array(made.image!.elf))
            }
          >
            <Download size={13} aria-hidden /> ELF
          </Button>
        )}
        <Button size="sm" onClick={make} disabled={isMaking}>
          <RefreshCw size={13} aria-hidden /> Build
        </Button>
      </h3>
      <div className="px-3" role="status">
        {isMaking && (
          <p className="mb-1">
            Building: the code is written, then <span className="mono">{board.compiler}</span> makes the image …
          </p>
        )}
        {!isMaking && made && made.project !== project && (
          <p className="now-ink mb-1">The project has changed since.</p>
        )}
        {!isMaking && made?.problem && <p className="field-problem mb-1">{made.problem}</p>}
        {!isMaking && made?.image && sizes && (
          <>
            <p className="mb-1">
              {isShipped(made.image)
                ? 'The image that comes with the application is of this code'
                : `Built by ${board.compiler} in ${formatNumber(made.seconds, 2)} s`}
              , of {lines.toLocaleString('en')} lines of C.
            </p>
            {misfits(made.elf!, board).map((m) => (
              <p key={m} className="field-problem mb-1">
                {m}
              </p>
            ))}
            <Share name="Flash" used={sizes.text + sizes.data} of={board.flash} />
            <Share name="Memory" used={sizes.data + sizes.bss} of={board.memory} />
            {stack === undefined ? (
              <p className="quiet mb-1">The stack is measured in a run on {board.name}.</p>
            ) : (
              <Share name="with the stack" used={sizes.data + sizes.bss + stack} of={board.memory} />
            )}
            {made.image.said !== '' && <pre className="build-said">{made.image.said}</pre>}
          </>
        )}
      </div>
    </section>
  );
}

/** So many bytes of so many. */
function Share({ name, used, of }: { readonly name: string; readonly used: number; readonly of: number }) {
  const share = used / of;
  return (
    <div className="build-share">
      <span>{name}</span>
      <span className="bar" aria-hidden>
        <span className={share > 1 ? 'over' : ''} style={{ width: `${Math.min(100, Math.max(0.5, share * 100))}%` }} />
      </span>
      <span className="num">
        {used.toLocaleString('en')} of {of.toLocaleString('en')} bytes, {formatNumber(share * 100, 2)} %
      </span>
    </div>
  );
}
