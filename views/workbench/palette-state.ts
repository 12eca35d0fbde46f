import { create } from 'zustand';

export const usePalette = create<{
  readonly open: boolean;
  readonly help: boolean;
  setOpen(open: boolean): void;
  setHelp(help: boolean): void;
}>((set) => ({
  open: false,
  help: false,
  setOpen: (open) => set({ open, help: false }),
  setHelp: (help) => set({ help, open: false }),
}));
