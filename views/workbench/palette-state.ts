import { create } from 'zustand';

export const usePalette = create<{
  readonly open: boolean;
  readonly help: boolean;
  /** The help on the language is open. */
  readonly language: boolean;
  setOpen(open: boolean): void;
  setHelp(help: boolean): void;
  setLanguage(language: boolean): void;
}>((set) => ({
  open: false,
  help: false,
  language: false,
  setOpen: (open) => set({ open, help: false, language: false }),
  setHelp: (help) => set({ help, open: false, language: false }),
  setLanguage: (language) => set({ language, open: false, help: false }),
}));
