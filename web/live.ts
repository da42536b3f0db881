import { onScopeDispose } from 'vue';

type Listener = (topics: string[]) => void;
const listeners = new Set<Listener>();
let source: EventSource | null = null;

/** Opens the line on which the server tells what changed; once for the whole app. */
export function openLive(): void {
  source ??= new EventSource('/api/events');
  source.onmessage = (event: MessageEvent<string>) => {
    const topics = JSON.parse(event.data) as string[];
    for (const listener of listeners) listener(topics);
  };
}

export function closeLive(): void {
  source?.close();
  source = null;
}

/** Calls back when one of the topics changed, as long as the component lives; several changes in a moment count once. */
export function useLive(topics: readonly string[], act: () => void): void {
  let waiting: ReturnType<typeof setTimeout> | null = null;
  const listener: Listener = (changed) => {
    if (!changed.some((topic) => topics.includes(topic)) || waiting) return;
    waiting = setTimeout(() => {
      waiting = null;
      act();
    }, 250);
  };
  listeners.add(listener);
  onScopeDispose(() => {
    listeners.delete(listener);
    if (waiting) clearTimeout(waiting);
  });
}
