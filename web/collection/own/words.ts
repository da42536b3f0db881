/** Days of the office's calendar, and sizes, in plain words. */
export function dayIn(zone: string, iso: string): string {
  return new Intl.DateTimeFormat('en-GB', {
    ...{ day: 'numeric', month: 'long', timeZone: zone },
    ...(new Date(iso).getFullYear() === new Date().getFullYear() ? {} : { year: 'numeric' }),
  }).format(new Date(iso));
}

/** `3 May`, of a day such as `2026-05-03`. */
export const dayOf = (day: string): string => dayIn('UTC', `${day}T12:00:00Z`);

/** `812 KB`, `3.1 MB`. */
export function sizeOf(bytes: number): string {
  if (bytes < 1000) return `${bytes} bytes`;
  return bytes < 1_000_000 ? `${Math.round(bytes / 1000)} KB` : `${(bytes / 1_000_000).toFixed(1)} MB`;
}
