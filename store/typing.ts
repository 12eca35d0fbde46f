import { remember, remembered } from './remember';
import { useProject } from './project-store';
import { usePlace } from './place-store';

/**
 * What is being typed into a field and not yet taken over. Only one field has the focus, so one place is enough; what is there
 * when the page is opened was typed before a crash.
 */
interface Typing {
  readonly project: string;
  readonly place: string;
  readonly label: string;
  /** What the field said before; null where every key is taken over, of which the last may not have been kept. */
  readonly value: string | null;
  readonly text: string;
}

const key = 'zelvar-typing';
let left: Typing | undefined | null = null;

const placeNow = (): string => {
  const { area, part, type, sheet } = usePlace.getState();
  return [area, part, type, sheet].join('/');
};

function leftBefore(): Typing | undefined {
  if (left !== null) return left;
  try {
    left = JSON.parse(remembered(key) ?? 'null') as Typing | undefined;
  } catch {
    left = undefined;
  }
  left ??= undefined;
  return left;
}

/** Text that was typed into a field before the page was lost, if the field says what it said then. */
export function typedBefore(label: string, value: string): string | undefined {
  const found = leftBefore();
  if (found?.label !== label || (found.value !== null && found.value !== value) || found.place !== placeNow())
    return undefined;
  if (found.project !== useProject.getState().project?.id || typeof found.text !== 'string') return undefined;
  return found.text === value ? undefined : found.text;
}

export function keepTyping(label: string, value: string | null, text: string): void {
  left = undefined;
  const project = useProject.getState().project?.id;
  if (project === undefined) return;
  remember(key, JSON.stringify({ project, place: placeNow(), label, value, text } satisfies Typing));
}

/** The page is being closed: what is taken over now may not reach the storage any more, so what was typed stays as well. */
let leaving = false;
export const keepForNextTime = (): void => void (leaving = true);

export const typingDone = (): void => {
  if (leaving) return;
  left = undefined;
  remember(key, undefined);
};
