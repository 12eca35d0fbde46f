import { useEffect, useState } from 'react';

/** Whether something has been so for a while: what is over in a moment need not be shown. */
export function useStill(is: boolean, ms = 1500): boolean {
  const [still, setStill] = useState(false);
  useEffect(() => {
    const timer = is ? setTimeout(() => setStill(true), ms) : undefined;
    return () => {
      clearTimeout(timer);
      setStill(false);
    };
  }, [is, ms]);
  return still;
}

/** For how many whole seconds something has been so, once it has been for a while. */
export function useSeconds(is: boolean, ms = 1500): number | undefined {
  const still = useStill(is, ms);
  const [seconds, setSeconds] = useState(0);
  useEffect(() => {
    const since = Date.now();
    const timer = is ? setInterval(() => setSeconds(Math.floor((Date.now() - since) / 1000)), 500) : undefined;
    return () => {
      clearInterval(timer);
      setSeconds(0);
    };
  }, [is]);
  return still ? seconds : undefined;
}
