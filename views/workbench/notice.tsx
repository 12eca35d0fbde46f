'use client';
import { X } from 'lucide-react';
import { useEffect } from 'react';
import { usePlace, type Notice as Said } from '@/store/place-store';
import { Button } from '@/ui/button';
import { compareWithKept } from './compare-dialog';
import { exportAside, exportProject } from './files';

const offered: Readonly<Record<NonNullable<Said['offers']>, { readonly words: string; readonly run: () => void }>> = {
  export: { words: 'Export the project', run: exportProject },
  compare: { words: 'Compare both versions', run: () => compareWithKept() },
  aside: { words: 'Export what was set aside', run: () => void exportAside() },
};

/** What is said across the sheet. Notes go by themselves; problems stay until they are closed. */
export function Notice() {
  const notice = usePlace((s) => s.notice);
  const silence = usePlace((s) => s.silence);
  useEffect(() => {
    if (notice?.kind !== 'note') return;
    const timer = setTimeout(silence, 5000);
    return () => clearTimeout(timer);
  }, [notice, silence]);
  if (!notice) return null;
  const offer = notice.offers && offered[notice.offers];
  return (
    <div className={`notice ${notice.kind}`} role={notice.kind === 'problem' ? 'alert' : 'status'} data-testid="notice">
      <span>{notice.text}</span>
      {offer && (
        <Button size="sm" onClick={offer.run}>
          {offer.words}
        </Button>
      )}
      <Button variant="bare" label="Close this message" onClick={silence}>
        <X size={14} aria-hidden />
      </Button>
    </div>
  );
}
