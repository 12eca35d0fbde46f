'use client';
import { useEffect } from 'react';
import { useHotkeys } from 'react-hotkeys-hook';
import { pauseRun, resumeRun, startRun, stepBack, stepRun } from '@/store/running';
import { areas, usePlace } from '@/store/place-store';
import { useLayout } from '@/store/layout-store';
import { useProject } from '@/store/project-store';
import { useRuns } from '@/store/run-store';
import { showImpact } from '@/ui/impact';
import { toggleMark } from '@/ui/ribbon/mark';
import { usePalette } from './palette-state';
import { areaLook } from './rail';

const isButton = (e: KeyboardEvent): boolean =>
  e.target instanceof HTMLElement && e.target.closest('button, [role=button], a, select') !== null;

/** Where a click was meant for a field and missed it, the letters that follow are no commands. */
let missed = false;
const controls =
  'button, a, input, select, textarea, canvas, label, [role=button], [role=slider], [tabindex], [contenteditable]';
function noteClick(e: PointerEvent): void {
  const at = e.target instanceof Element ? e.target : null;
  const near = at?.closest('td, .field-row, .flow-line, .relation-row, .modal-content, aside[aria-label="Details"]');
  missed =
    near !== null &&
    near !== undefined &&
    near.querySelector('input, textarea, select') !== null &&
    !at?.closest(controls);
}
const noteFocus = (): void => void (missed = false);

/** The ribbon is a slider of time, and no field that is typed into. */
const onRibbon = {
  enableOnFormTags: ['slider'],
  ignoreEventWhen: (e: KeyboardEvent) => missed && !e.ctrlKey && !e.metaKey,
} as const;

/** Keys that work on every sheet. In editors Ctrl+Z belongs to the editor. */
export function useShortcuts(): void {
  const { go } = usePlace.getState();
  useEffect(() => {
    document.addEventListener('pointerdown', noteClick, true);
    document.addEventListener('focusin', noteFocus, true);
    return () => {
      document.removeEventListener('pointerdown', noteClick, true);
      document.removeEventListener('focusin', noteFocus, true);
    };
  }, []);
  useHotkeys(
    areas.map((a) => `g>${areaLook[a].key}`),
    (_, keys) => {
      const area = areas.find((a) => keys.keys?.includes(areaLook[a].key) || keys.hotkey?.endsWith(areaLook[a].key));
      if (area) go({ area });
    },
    onRibbon,
  );
  useHotkeys(
    'space',
    (e) => {
      if (isButton(e)) return;
      e.preventDefault();
      const status = useRuns.getState().current?.status;
      if (status === 'running') pauseRun();
      else if (status === 'paused') resumeRun();
      else void startRun();
    },
    onRibbon,
  );
  useHotkeys('l', () => usePlace.getState().toggle('links'), onRibbon);
  useHotkeys('r', () => useLayout.getState().toggleRibbon(), onRibbon);
  useHotkeys('f', () => useLayout.getState().toggleAlone(), onRibbon);
  useHotkeys('i', showImpact, onRibbon);
  useHotkeys('m', toggleMark, onRibbon);
  useHotkeys('period', () => void stepRun(), onRibbon);
  useHotkeys('comma', () => void stepBack(), onRibbon);
  useHotkeys(
    'mod+z',
    (e) => {
      e.preventDefault();
      useProject.getState().undo();
    },
    onRibbon,
  );
  useHotkeys(
    ['mod+shift+z', 'mod+y'],
    (e) => {
      e.preventDefault();
      useProject.getState().redo();
    },
    onRibbon,
  );
  useHotkeys(
    'mod+k',
    (e) => {
      e.preventDefault();
      usePalette.getState().setOpen(true);
    },
    { enableOnFormTags: true, enableOnContentEditable: true },
  );
  useHotkeys(
    'f1',
    (e) => {
      e.preventDefault();
      usePalette.getState().setLanguage(true);
    },
    { enableOnFormTags: true, enableOnContentEditable: true },
  );
  // by the character, wherever the keyboard has it
  useHotkeys('?', () => usePalette.getState().setHelp(true), { useKey: true, ignoreModifiers: true, ...onRibbon });
}
