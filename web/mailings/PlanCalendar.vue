<script setup lang="ts">
import { DateTime } from 'luxon';
import { computed } from 'vue';
import type { Timing, TimingPlan } from '../../contract/index.ts';
import { useSession } from '../session.ts';
import { many, useTimes } from '../words.ts';

/** A mailing laid out: a line for each day, each batch where it stands in that day, the open hours shaded. */
const props = defineProps<{ plan: TimingPlan; timing: Timing }>();
const session = useSession();
const { clock, weekday } = useTimes();
/** More than so many in a day are drawn as strokes, without their numbers. */
const NAMED = 6;

const minutesOf = (time: string) => Number(time.slice(0, 2)) * 60 + Number(time.slice(3));
const at = (iso: string) => DateTime.fromISO(iso, { zone: session.zone });
const minuteOf = (iso: string) => at(iso).hour * 60 + at(iso).minute;
/** The hours drawn: those in which messages may leave with one around them, else those in which some do. */
const axis = computed(() => {
  const { hours } = props.timing;
  const used = props.plan.days.flatMap(({ batches }) =>
    batches.flatMap((each) => [minuteOf(each.at), minuteOf(each.until)]),
  );
  const from = hours ? minutesOf(hours.from) - 60 : Math.min(...used, 8 * 60);
  const until = hours ? minutesOf(hours.until) + 30 : Math.max(...used.map((minute) => minute + 60), 18 * 60);
  const low = Math.max(0, Math.floor(from / 60));
  const high = Math.min(24, Math.ceil(until / 60));
  return { low: low * 60, span: Math.max(60, (high - low) * 60) };
});
const place = (minute: number) => `${(100 * (minute - axis.value.low)) / axis.value.span}%`;
const width = (minutes: number) => `${(100 * minutes) / axis.value.span}%`;
const ticks = computed(() => {
  const { low, span } = axis.value;
  const step = span > 12 * 60 ? 240 : 120;
  const all: number[] = [];
  for (let minute = low; minute < low + span; minute += step) all.push(minute);
  return all;
});
const shade = computed(() => {
  const { hours } = props.timing;
  if (!hours) return { left: '0%', width: '100%' };
  const [from, until] = [minutesOf(hours.from), minutesOf(hours.until)];
  return { left: place(from), width: width(until - from) };
});
const bar = (batch: { at: string; until: string }) => {
  const own = (at(batch.until).toMillis() - at(batch.at).toMillis()) / 60_000;
  const wide = Math.max(
    own,
    Math.min(props.timing.batch?.minutes ?? 0, axis.value.span),
    axis.value.span / 90,
  );
  const begin = minuteOf(batch.at);
  return { left: place(begin), width: width(Math.min(wide, axis.value.low + axis.value.span - begin)) };
};
const told = (iso: string) => clock(iso).replace(/^0/, '');
const dayName = (day: string) =>
  `${weekday(day)} ${DateTime.fromISO(day, { locale: 'en-GB' }).toFormat('d LLL')}`;
</script>

<template>
  <div class="calendar" role="group" aria-label="When it goes, day by day">
    <div class="axis figures" aria-hidden="true">
      <span v-for="minute in ticks" :key="minute" class="tick" :style="{ left: place(minute) }"
        >{{ minute / 60 }}:00</span
      >
    </div>
    <ol>
      <li v-for="day in plan.days" :key="day.day">
        <span class="name">{{ dayName(day.day) }}</span>
        <div class="strip">
          <span class="shade" :style="shade" />
          <span
            v-for="batch in day.batches"
            :key="batch.at"
            class="batch figures"
            :class="{ thin: day.batches.length > NAMED }"
            :style="bar(batch)"
            :title="`${batch.count} from ${told(batch.at)} to ${told(batch.until)}`"
            ><template v-if="day.batches.length <= NAMED"
              ><b>{{ batch.count }}</b
              ><span class="from"> from {{ told(batch.at) }}</span></template
            ></span
          >
        </div>
        <span class="sum figures" :title="day.others ? `and ${day.others} of other mailings` : ''"
          >{{ day.count }}<span v-if="day.others" class="quiet"> + {{ day.others }}</span></span
        >
      </li>
    </ol>
    <p v-if="plan.dayCount > plan.days.length" class="quiet">
      and {{ many(plan.dayCount - plan.days.length, 'day') }} more
    </p>
  </div>
</template>

<style scoped>
.axis {
  position: relative;
  height: 20px;
  margin: 0 64px 4px 92px;
  color: var(--ink-soft);
  font-size: 12.5px;
}
.tick {
  position: absolute;
  transform: translateX(-2px);
}
ol {
  list-style: none;
  margin: 0;
  padding: 0;
}
li {
  display: grid;
  grid-template-columns: 84px minmax(0, 1fr) 56px;
  gap: 8px;
  align-items: center;
  margin-bottom: 6px;
}
.name {
  font-weight: 600;
}
.strip {
  position: relative;
  height: 40px;
  border: 1px solid var(--hairline);
  background: var(--page);
  overflow: hidden;
}
.shade {
  position: absolute;
  inset: 0 auto 0 0;
  background: #e7ede7;
}
.batch {
  position: absolute;
  top: 7px;
  bottom: 7px;
  display: flex;
  align-items: center;
  padding-left: 6px;
  overflow: hidden;
  white-space: pre;
  background: var(--spruce);
  border-right: 2px solid var(--sheet);
  color: #fff;
}
.batch.thin {
  padding: 0;
}
.sum {
  text-align: right;
}
@media (max-width: 1000px) {
  .tick:nth-child(even) {
    display: none;
  }
}
</style>
