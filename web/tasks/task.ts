import { ref } from 'vue';
import type { TaskRow } from '../../contract/index.ts';
import { act } from '../api.ts';
import { useAttempt } from '../ui/attempt.ts';
import { many, useTimes } from '../words.ts';

/** What is done with tasks wherever they stand, and what was done last, to be taken back. */
export function useTasks(again: () => unknown) {
  const last = ref<{ words: string; back: () => Promise<void> } | null>(null);
  const { attempt, failed } = useAttempt(again);
  const settle = (task: Pick<TaskRow, 'id' | 'words'>, done: boolean) =>
    attempt(async () => {
      await act('PUT', `/tasks/${task.id}/done`, { done });
      last.value = {
        words: `“${short(task.words)}” ${done ? 'is done' : 'is open again'}.`,
        back: () => act('PUT', `/tasks/${task.id}/done`, { done: !done }),
      };
    });
  const remove = (task: Pick<TaskRow, 'id' | 'words'>) =>
    attempt(async () => {
      await act('DELETE', `/tasks/${task.id}`);
      last.value = {
        words: `“${short(task.words)}” was taken away.`,
        back: () => act('POST', `/tasks/${task.id}/restore`),
      };
    });
  const takeBack = () =>
    attempt(async () => {
      await last.value?.back();
      last.value = null;
    });
  return { settle, remove, takeBack, last, failed };
}

const short = (words: string) => (words.length > 60 ? `${words.slice(0, 59)}…` : words);

/** By when a task is to be done, in words. */
export function useDue() {
  const { day } = useTimes();
  return ({ dueOn, late, doneAt, doneBy }: TaskRow): string => {
    if (doneAt) return `done ${day(doneAt)}${doneBy ? ` by ${doneBy}` : ''}`;
    if (dueOn === null) return 'some day';
    return late ? `${many(late, 'day')} late` : day(`${dueOn}T12:00:00Z`);
  };
}
