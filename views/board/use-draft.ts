'use client';
import { useEffect, useRef, useState } from 'react';
import type { CComplaint } from '@/core/stepcode/read-back/c-tree';
import { mergedEdit } from '@/core/stepcode/read-back/merged';
import type { ReadBack } from '@/core/stepcode/read-back/read-back';
import { readBackOf } from '@/store/checking';
import type { CodeDraft, WrittenCode } from '@/store/storage';

/** What somebody is making of a source, and what that says of the model. */
export interface Draft {
  /** Undefined where nobody makes anything of it. */
  readonly text: string | undefined;
  /** Undefined until it has been read. */
  readonly found: ReadBack | undefined;
  change(text: string): void;
  /** A text that was made of `of`, or of what is written now. */
  take(text: string, of?: string): void;
  /** Back to what the model says. */
  drop(): void;
}

/** The draft of a source; it is kept in this browser, and follows where the model goes on. */
export function useDraft(
  projectId: string,
  typeId: string,
  source: string,
  written: WrittenCode | undefined,
  write: (written: WrittenCode) => void,
): Draft {
  const [draft, setDraft] = useState<CodeDraft>();
  const [both, setBoth] = useState<readonly CComplaint[]>([]);
  const [found, setFound] = useState<{ readonly of: string; readonly source: string; readonly what: ReadBack }>();
  const begun = useRef(false);
  // what was left open the last time
  useEffect(() => {
    if (!written?.draft || begun.current || source === '') return;
    begun.current = true;
    setDraft(written.draft);
  }, [written, source]);
  // the model has gone on: so does the draft
  useEffect(() => {
    if (!draft || source === '' || draft.of === source) return;
    const { text, complaints } = mergedEdit(draft.of, draft.text, source);
    setDraft({ of: source, text });
    setBoth(complaints);
  }, [draft, source]);
  useEffect(() => {
    if (!begun.current || source === '') return;
    const timer = setTimeout(() => {
      const base: WrittenCode = written ?? { projectId, type: typeId, at: 0, files: [] };
      const { draft: _, ...rest } = base;
      const next: WrittenCode = draft && draft.text !== source ? { ...rest, draft } : rest;
      if (next.draft?.text === written?.draft?.text && next.draft?.of === written?.draft?.of) return;
      write(next);
    }, 400);
    return () => clearTimeout(timer);
    // what is kept follows the draft, not itself
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [draft, source]);
  useEffect(() => {
    if (!draft || draft.of !== source) return;
    let isCurrent = true;
    const timer = setTimeout(
      () =>
        void readBackOf(typeId, draft.text).then(
          (what) => isCurrent && what && setFound({ of: draft.text, source, what }),
          () => undefined,
        ),
      450,
    );
    return () => {
      isCurrent = false;
      clearTimeout(timer);
    };
  }, [draft, source, typeId]);
  const isRead = draft !== undefined && found?.of === draft.text && found.source === source;
  return {
    text: draft?.text,
    found: isRead
      ? { ...found.what, complaints: [...both, ...found.what.complaints].sort((a, b) => a.line - b.line) }
      : undefined,
    change: (text) => {
      begun.current = true;
      setBoth([]);
      setDraft((d) => ({ of: d?.of ?? source, text }));
    },
    take: (text, of = source) => {
      begun.current = true;
      setBoth([]);
      setDraft({ of, text });
    },
    drop: () => {
      setBoth([]);
      setDraft(undefined);
    },
  };
}
