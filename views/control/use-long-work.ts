import { useEffect, useRef, useState } from 'react';
import type { Answered, Asked } from '@/store/control-service';

/** Work in a thread of its own that tells how far it is and can be stopped. */
export function useLongWork<T>() {
  const [progress, setProgress] = useState<number>();
  const [wrong, setWrong] = useState<string>();
  const asked = useRef<Asked<T>>(undefined);
  useEffect(() => () => asked.current?.stop(), []);
  const start = async (work: (tell: (share: number) => void) => Asked<T>): Promise<T | undefined> => {
    setWrong(undefined);
    setProgress(0);
    asked.current = work(setProgress);
    try {
      const answer: Answered<T> | undefined = await asked.current.answer;
      if (answer && !answer.value)
        setWrong(
          answer.problems
            .map((p) => p.message)
            .slice(0, 2)
            .join(' · ') || 'It could not be done',
        );
      return answer?.value;
    } catch (error) {
      setWrong(error instanceof Error ? error.message : String(error));
      return undefined;
    } finally {
      setProgress(undefined);
    }
  };
  return { progress, wrong, setWrong, start, stop: () => asked.current?.stop() };
}
