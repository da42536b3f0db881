import { useRouter } from 'vue-router';
import { Made } from '../../contract/index.ts';
import { send, wordsOf } from '../api.ts';

/** Begins a letter on paper: to a client, to one of its people, or about a file. @param tell what went wrong, in words */
export function useLetter(tell: (words: string) => void) {
  const router = useRouter();
  return async (about: { clientId: number } | { personId: number } | { fileId: number }): Promise<void> => {
    try {
      const { id } = await send('POST', Made, '/paperwork', { kind: 'letter', ...about });
      await router.push(`/paperwork/${id}`);
    } catch (error) {
      tell(wordsOf(error));
    }
  };
}
