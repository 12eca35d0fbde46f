'use client';
import { useRef, type ReactNode } from 'react';
import { Button } from './button';

/** A button that asks for a file. The same one can be chosen again at once. */
export function FileButton({
  label,
  accept,
  title,
  size,
  onFile,
  children,
}: {
  /** What kind of file it is, for those who do not see the button. */
  readonly label: string;
  readonly accept: string;
  readonly title: string;
  readonly size?: 'sm';
  readonly onFile: (file: File) => void;
  readonly children: ReactNode;
}) {
  const input = useRef<HTMLInputElement>(null);
  return (
    <>
      <Button {...(size && { size })} onClick={() => input.current?.click()} title={title}>
        {children}
      </Button>
      <input
        ref={input}
        type="file"
        accept={accept}
        hidden
        aria-label={label}
        onChange={(e) => {
          const file = e.target.files?.[0];
          e.target.value = '';
          if (file) onFile(file);
        }}
      />
    </>
  );
}
