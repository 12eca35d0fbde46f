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
