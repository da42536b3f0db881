import { DateTime } from 'luxon';
import { computed, type WritableComputedRef } from 'vue';

/** A moment as a day and a time of the firm's zone, each of which can be typed. */
export interface Moment {
  day: WritableComputedRef<string>;
  time: WritableComputedRef<string>;
}

/**
 * An ISO instant as day and time. Where only one of the two is given, the other is what it usually is.
 * @param usual the day and time that stand for what was left out
 */
export function useMoment(
  zone: () => string,
  get: () => string | null,
  set: (instant: string | null) => void,
  usual: () => { day: string; time: string },
): Moment {
  const at = () => {
    const instant = get();
    return instant === null ? null : DateTime.fromISO(instant, { zone: zone() });
  };
  const put = (day: string, time: string) =>
    set(DateTime.fromISO(`${day}T${time}`, { zone: zone() }).toUTC().toISO());
  return {
    day: computed({
      get: () => at()?.toISODate() ?? '',
      set: (day) => (day ? put(day, at()?.toFormat('HH:mm') ?? usual().time) : set(null)),
    }),
    time: computed({
      get: () => at()?.toFormat('HH:mm') ?? '',
      set: (time) => (time ? put(at()?.toISODate() ?? usual().day, time) : set(null)),
    }),
  };
}
