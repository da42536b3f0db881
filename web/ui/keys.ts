import { useEventListener } from '@vueuse/core';

/** Where keys are typed rather than meant. */
const TYPING = 'input:not([type="checkbox"]), textarea, select, [contenteditable="true"]';
/** What has a use of its own for Enter and the space bar. */
const PRESSED = 'button, a, input[type="checkbox"]';

/**
 * Keys that act on a screen: not while somebody types, nor with Ctrl, Alt or Meta held, nor in the place of a button
 * that has the focus.
 * @param keys by the name of the key; a key without an action is left to the browser
 * @param unless while this holds the keys belong to something else, such as a dialog
 * @param even while this holds Enter and the space bar act even where a button has the focus
 */
export function useKeys(
  keys: Record<string, (event: KeyboardEvent) => unknown>,
  { unless = () => false, even = () => false }: { unless?: () => boolean; even?: () => boolean } = {},
): void {
  useEventListener(document, 'keydown', (event: KeyboardEvent) => {
    if (unless() || event.ctrlKey || event.metaKey || event.altKey || event.defaultPrevented) return;
    const target = event.target as HTMLElement;
    if (target.closest(`${TYPING}, .v-overlay`)) return;
    if ((event.key === 'Enter' || event.key === ' ') && !even() && target.closest(PRESSED)) return;
    const act = keys[event.key] ?? keys[event.code];
    if (!act) return;
    event.preventDefault();
    act(event);
  });
}
