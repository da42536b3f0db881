import type { Directive } from 'vue';

/** What opens in stages can be typed into after so long at most, in milliseconds. */
const LONGEST = 1000;

/**
 * The field one begins with: it takes the focus when it appears, at once, and never from whoever has begun to type in
 * another field meanwhile. `v-first="false"`: not this one.
 */
export const first: Directive<HTMLElement, boolean | undefined> = {
  mounted(el, { value }) {
    if (value === false) return;
    const field = el.matches('input, textarea') ? el : el.querySelector<HTMLElement>('input, textarea');
    if (!field) return;
    const before = document.activeElement;
    const began = performance.now();
    const attempt = () => {
      const now = document.activeElement;
      const elsewhere = now !== before && now instanceof HTMLElement && now.matches(TYPED_INTO);
      if (elsewhere || !field.isConnected) return;
      field.focus();
      // Within a dialog that is still being shown it cannot have the focus yet.
      if (document.activeElement !== field && performance.now() - began < LONGEST)
        requestAnimationFrame(attempt);
    };
    attempt();
  },
};

const TYPED_INTO = 'input, textarea, select, [contenteditable="true"]';
