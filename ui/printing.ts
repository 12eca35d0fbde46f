import { useEffect, useState } from 'react';
import { flushSync } from 'react-dom';
import { useHandler } from './use-handler';

/** Whether the page is being laid out for paper: lists that show what is in sight then show everything. */
export function usePrinting(): boolean {
  const [printing, setPrinting] = useState(false);
  useEffect(() => {
    // what is shown has to stand before the browser looks
    const begin = (): void => flushSync(() => setPrinting(true));
    const end = (): void => setPrinting(false);
    window.addEventListener('beforeprint', begin);
    window.addEventListener('afterprint', end);
    return () => {
      window.removeEventListener('beforeprint', begin);
      window.removeEventListener('afterprint', end);
    };
  }, []);
  return printing;
}

/** On paper a drawing of its own takes the place of the one on the screen, of which a part may be in sight. */
export function usePrintPicture(svg: () => string): void {
  const draw = useHandler(svg);
  useEffect(() => {
    let shown: HTMLElement | undefined;
    const begin = (): void => {
      shown = document.createElement('div');
      shown.className = 'print-picture';
      shown.innerHTML = draw();
      document.querySelector('main')?.append(shown);
    };
    const end = (): void => shown?.remove();
    window.addEventListener('beforeprint', begin);
    window.addEventListener('afterprint', end);
    return () => {
      window.removeEventListener('beforeprint', begin);
      window.removeEventListener('afterprint', end);
      end();
    };
  }, [draw]);
}
