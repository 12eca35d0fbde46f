import { create } from 'zustand';
import { remember } from './remember';

export const areas = ['needs', 'product', 'behaviour', 'physics', 'control', 'bench', 'board', 'proof'] as const;
export type Area = (typeof areas)[number];

/** Where one is: area, part (by full name, '' is the product) and the selected element. */
export interface Location {
  readonly area: Area;
  readonly part: string;
  /** Part type shown where no part of it exists. */
  readonly type: string;
  /** Address of the selected element, such as `state/<id>` or `quantity/<id>`. */
  readonly item: string;
  /** Which sheet of the area, where it has several: `flow/<id>`, `matrix`, `requirement/<id>` and so on. */
  readonly sheet: string;
}

/** What is said across the sheet; what it offers is one press away. */
export interface Notice {
  readonly kind: 'problem' | 'note';
  readonly text: string;
  readonly offers?: 'export' | 'compare' | 'aside';
}

interface PlaceState extends Location {
  /** The project that is open, so that an address of the browser opens what it says; '' for none. */
  readonly project: string;
  readonly theme: 'light' | 'dark';
  readonly outlineOpen: boolean;
  readonly detailsOpen: boolean;
  /** Lights up what is linked to requirements and dims the rest. */
  readonly showLinks: boolean;
  readonly notice: Notice | undefined;
  go(to: Partial<Location>): void;
  /** Another project is open, at the place at hand. */
  enter(project: string): void;
  select(item: string): void;
  setTheme(theme: 'light' | 'dark'): void;
  toggle(side: 'outline' | 'details' | 'links'): void;
  say(text: string, kind?: Notice['kind'], offers?: Notice['offers']): void;
  silence(): void;
}

/** The project an address of the browser names. */
export const projectIn = (search: string): string | undefined => new URLSearchParams(search).get('open') ?? undefined;

const toHash = (l: Location): string =>
  `#/${l.area}/${encodeURIComponent(l.part)}/${encodeURIComponent(l.type)}/${encodeURIComponent(l.item)}${l.sheet ? `/${encodeURIComponent(l.sheet)}` : ''}`;

export function fromHash(hash: string): Location | undefined {
  const [, area, part = '', type = '', item = '', sheet = ''] = hash
    .replace(/^#/, '')
    .split('/')
    .map(decodeURIComponent);
  return (areas as readonly string[]).includes(area) ? { area: area as Area, part, type, item, sheet } : undefined;
}

/** Every step is one of the browser's history, so that back and forward work. */
export const usePlace = create<PlaceState>((set, get) => {
  const write = (replace: boolean): void => {
    if (typeof window === 'undefined') return;
    const { area, part, type, item, sheet } = get();
    const { project } = get();
    const to = `${project === '' ? '' : `?open=${encodeURIComponent(project)}`}${toHash({ area, part, type, item, sheet })}`;
    if (to === window.location.search + window.location.hash) return;
    if (replace) window.history.replaceState(null, '', to);
    else window.history.pushState(null, '', to);
  };
  return {
    project: '',
    area: 'bench',
    part: '',
    type: '',
    item: '',
    sheet: '',
    showLinks: false,
    theme: 'light',
    outlineOpen: true,
    detailsOpen: true,
    notice: undefined,
    go(to) {
      set({ item: '', ...(to.area !== undefined && { sheet: '' }), ...to });
      write(false);
    },
    enter(project) {
      set({ project });
      if (typeof window !== 'undefined' && projectIn(window.location.search) !== project)
        write(projectIn(window.location.search) === undefined);
    },
    select(item) {
      set({ item });
      write(true);
    },
    setTheme(theme) {
      set({ theme });
      document.documentElement.setAttribute('data-bs-theme', theme);
      remember('zelvar-theme', theme);
    },
    toggle: (side) =>
      set(
        side === 'outline'
          ? { outlineOpen: !get().outlineOpen }
          : side === 'links'
            ? { showLinks: !get().showLinks }
            : { detailsOpen: !get().detailsOpen },
      ),
    say: (text, kind = 'problem', offers) => set({ notice: { kind, text, ...(offers && { offers }) } }),
    silence: () => set({ notice: undefined }),
  };
});
