import { create } from 'zustand';
import type { Area } from './place-store';
import { remember, remembered } from './remember';

/** How the room of the window is shared: kept between visits, and per area where areas differ in what they need. */
interface LayoutState {
  /** The ribbon shows its tracks, not only its bar. */
  readonly ribbonOpen: boolean;
  /** Only the sheet is shown; what was beside it comes back afterwards. */
  readonly alone: boolean;
  /** Height of the open ribbon per area, in parts of a hundred. */
  readonly ribbonHeight: Readonly<Partial<Record<Area, number>>>;
  /** Panels are made smaller until they show whole; otherwise they scroll. */
  readonly wholePanels: boolean;
  toggleWholePanels(): void;
  toggleRibbon(): void;
  toggleAlone(): void;
  setRibbonHeight(area: Area, height: number): void;
}

const key = 'zelvar-ribbon';
const panelKey = 'zelvar-panels';

function kept(): LayoutState['ribbonHeight'] {
  try {
    const found = JSON.parse(remembered(key) ?? '{}') as Record<string, unknown>;
    return Object.fromEntries(Object.entries(found).filter(([, h]) => typeof h === 'number' && h > 5 && h < 95));
  } catch {
    return {};
  }
}

export const useLayout = create<LayoutState>((set, get) => ({
  ribbonOpen: true,
  alone: false,
  ribbonHeight: typeof window === 'undefined' ? {} : kept(),
  wholePanels: typeof window === 'undefined' ? true : remembered(panelKey) !== 'scrolled',
  toggleWholePanels() {
    const wholePanels = !get().wholePanels;
    set({ wholePanels });
    remember(panelKey, wholePanels ? 'whole' : 'scrolled');
  },
  toggleRibbon: () => set({ ribbonOpen: !get().ribbonOpen, alone: false }),
  toggleAlone: () => set({ alone: !get().alone }),
  setRibbonHeight(area, height) {
    if (!(height > 5 && height < 95)) return;
    const ribbonHeight = { ...get().ribbonHeight, [area]: Math.round(height * 10) / 10 };
    set({ ribbonHeight });
    remember(key, JSON.stringify(ribbonHeight));
  },
}));

/** Drawings need the room more than the tracks do. */
export const usualRibbon: Readonly<Record<Area, number>> = {
  needs: 30,
  product: 34,
  behaviour: 32,
  physics: 32,
  control: 28,
  bench: 38,
  board: 26,
  proof: 30,
};
