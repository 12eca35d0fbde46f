import * as Comlink from 'comlink';
import { create } from 'zustand';
import { boardNamed, boardsOf } from '@/core/boards/board';
import { markAt } from '@/core/coverage/report';
import type { Checked } from '@/core/evidence/check';
import type { Evidence, Facts, Signature } from '@/core/evidence/evidence';
import type { EvidenceInput, KnownOfCase } from '@/core/evidence/gather';
import type { Project } from '@/core/project/project';
import { strengthOf } from '@/core/proof/strength';
import { readStage, type StageText } from '@/core/stepcode/stage';
import { version } from '@/package.json';
import type { EvidenceService } from '@/workers/evidence.worker';
import { useBaselines, versionOf } from './baseline-store';
import { imageOf } from './images';
import { useProof } from './proof-store';
import { isStale, outcomeKey } from './proof-store';
import { strengthMark, useStrength } from './strength-store';

/** What was put together of the outcomes that are known; kept as long as the page lives. */

export interface CheckedFile {
  readonly name: string;
  readonly problem: string;
  readonly of: string;
  readonly made: string;
  readonly form: string;
  readonly checks: readonly Checked[];
}

interface EvidenceState {
  /** Who stands for it, and with which words. */
  readonly signer: string;
  readonly words: string;
  /** Id of the baseline that is said to be what was tested; empty for none. */
  readonly baseline: string;
  readonly made: { readonly project: Project; readonly evidence: Evidence } | undefined;
  readonly isWorking: boolean;
  readonly problem: string;
  readonly checked: CheckedFile | undefined;
  set(f: Partial<Pick<EvidenceState, 'signer' | 'words' | 'baseline' | 'checked'>>): void;
}

export const useEvidence = create<EvidenceState>()((set) => ({
  signer: '',
  words: '',
  baseline: '',
  made: undefined,
  isWorking: false,
  problem: '',
  checked: undefined,
  set: (f) => set(f),
}));

let thread: { readonly worker: Worker; readonly service: Comlink.Remote<EvidenceService> } | undefined;
function serviceOf(): Comlink.Remote<EvidenceService> {
  if (!thread) {
    const worker = new Worker(new URL('../workers/evidence.worker.ts', import.meta.url), { type: 'module' });
    thread = { worker, service: Comlink.wrap<EvidenceService>(worker) };
  }
  return thread.service;
}

/** Gives up what is being worked on. */
export function stopEvidence(): void {
  thread?.worker.terminate();
  thread = undefined;
  useEvidence.setState({ isWorking: false });
}

/** Another project is opened: nothing of this one is of it. */
export function forgetEvidence(): void {
  stopEvidence();
  useEvidence.setState({ made: undefined, checked: undefined, problem: '', baseline: '' });
}

async function working<T>(work: (service: Comlink.Remote<EvidenceService>) => Promise<T>): Promise<T | undefined> {
  useEvidence.setState({ isWorking: true, problem: '' });
  const own = serviceOf();
  try {
    return await work(own);
  } catch (error) {
    useEvidence.setState({ problem: error instanceof Error ? error.message : String(error) });
    return undefined;
  } finally {
    if (thread?.service === own) useEvidence.setState({ isWorking: false });
  }
}

/** A day as people sign, where they are. */
const today = (): string => new Date().toLocaleDateString('sv-SE');

/** Puts together what is known of the cases in these stages. */
export async function makeEvidence(project: Project, stages: readonly (StageText | undefined)[]): Promise<void> {
  await working(async (service) => {
    const input: Omit<EvidenceInput, 'problems' | 'constants'> = {
      project,
      made: new Date().toISOString(),
      stages,
      known: knownOf(project, stages),
      baseline: frozenOf(),
      images: await imagesOf(project, stages),
      tools: toolsHere(),
      strength: strengthFact(project),
      signed: signedBy(),
    };
    useEvidence.setState({ made: { project, evidence: await service.make(input) } });
  });
}

/** The baseline that is said to be what was tested. */
export function frozenOf(): EvidenceInput['baseline'] {
  const { baseline: id } = useEvidence.getState();
  const frozen = useBaselines.getState().all.find((b) => b.id === id);
  if (!frozen) return undefined;
  const version = versionOf(frozen);
  if ('why' in version) throw new Error(`${frozen.name}: ${version.why}`);
  return { name: frozen.name, at: new Date(frozen.at).toISOString(), project: version.project };
}

export function signedBy(): readonly Signature[] {
  const { signer, words } = useEvidence.getState();
  return signer.trim() === '' ? [] : [{ name: signer.trim(), words: words.trim(), on: today() }];
}

/** What is known of cases, with whether it is out of date. */
export function knownOf(project: Project, stages: readonly (StageText | undefined)[]): readonly KnownOfCase[] {
  const { known } = useProof.getState();
  return project.cases.flatMap((of) =>
    stages.flatMap((stage): KnownOfCase[] => {
      const found = known[outcomeKey(of.id, stage)];
      return found
        ? [
            {
              of,
              stage,
              outcome: found.outcome,
              isStale: isStale(project, of, found),
              at: new Date(found.at).toISOString(),
            },
          ]
        : [];
    }),
  );
}

/** What chips are loaded with in the stages that run on boards. */
async function imagesOf(project: Project, stages: readonly (StageText | undefined)[]) {
  const boards = stages.flatMap((s) => {
    const { stage, board } = s === undefined ? { stage: 'designed', board: '' } : readStage(s)!;
    const found =
      stage !== 'board' ? undefined : board === '' ? boardsOf(project)[0] : boardNamed(board, boardsOf(project));
    return found ? [found.isOwn ? found.name : found.id] : [];
  });
  const found: { readonly program: string; readonly board: string; readonly elf: Uint8Array }[] = [];
  for (const board of new Set(boards))
    for (const type of project.types.filter((t) => t.software.trim() !== '')) {
      const image = await imageOf(project, type, board);
      if (image !== undefined && typeof image !== 'string') found.push({ program: type.name, board, elf: image.elf });
    }
  return found;
}

export const toolsHere = (): Facts['tools'] => [
  { name: 'Zelvar', version },
  { name: 'Browser', version: navigator.userAgent },
];

/** What of small changes the cases notice, where that is known of the project as it is. */
function strengthFact(project: Project): Facts['strength'] {
  const { found } = useStrength.getState();
  if (!found || found.projectId !== project.id || found.mark !== strengthMark(project)) return null;
  const { noticed, of } = strengthOf([...found.outcomes.values()].map((o) => o.verdict));
  return {
    noticed,
    of,
    unnoticed: found.mutants
      .filter((m) => found.outcomes.get(m.key)?.verdict === 'unnoticed')
      .map((m) => {
        const excuse = project.excuses.find((e) => e.item === m.key && e.mark === markAt(project, m.place));
        return {
          what: `${[m.name, m.text].filter(Boolean).join(': ')}: ${m.from || 'nothing'} → ${m.to || 'nothing'}`,
          excuse: excuse ? `${excuse.kind}: ${excuse.reason} (${excuse.by}, ${excuse.on})` : '',
        };
      }),
  };
}

export const evidenceHtml = (evidence: Evidence): Promise<string | undefined> => working((s) => s.html(evidence));
export const evidenceXlsx = (evidence: Evidence): Promise<Uint8Array | undefined> => working((s) => s.xlsx(evidence));

/** Looks whether a file is as it was written, and of the project as it is. */
export async function checkEvidenceFile(project: Project, file: File): Promise<void> {
  const none = { name: file.name, problem: '', of: '', made: '', form: '', checks: [] };
  await working(async (service) => {
    const bytes = new Uint8Array(await file.arrayBuffer());
    const found = await service.check(bytes, project);
    useEvidence.setState({ checked: { ...none, ...found } });
  });
}
