'use client';
import { Plus } from 'lucide-react';
import type { ReactNode } from 'react';
import { Button } from '../button';
import { beginRow } from './rows';

/** Begins a row of a list and puts the typing into it. */
export function AddRow({
  list,
  entry,
  label,
  children,
}: {
  readonly list: string;
  readonly entry: () => Parameters<typeof beginRow>[1];
  readonly label: string;
  readonly children: ReactNode;
}) {
  return (
    <Button size="sm" data-adds={list} onClick={() => beginRow(list, entry(), label)}>
      <Plus size={13} aria-hidden /> {children}
    </Button>
  );
}
