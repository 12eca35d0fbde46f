/** Something new has been chosen: its name has the focus, ready to be written over. */
export function focusName(): void {
  setTimeout(() => {
    const field = document.querySelector<HTMLInputElement>('aside[aria-label="Details"] input.cell-field');
    field?.focus();
    field?.select();
  }, 60);
}
