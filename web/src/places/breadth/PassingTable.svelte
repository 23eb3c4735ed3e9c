<script lang="ts">
  /** Every passing with what the index did afterwards, and what that comes to beside any session. */
  import { csv, download } from '$lib/csv'
  import { day, percent, tone } from '$lib/format'
  import { go } from '$lib/router.svelte'
  import { standOn } from '$lib/market.svelte'
  import type { Passings } from '$lib/whole'

  interface Props {
    passings: Passings
    by: 'day' | 'week'
    beside: string | null
    say: (value: number | null) => string
    /** Which of the horizons the sentence is of. */
    horizon: number
  }
  let { passings, by, beside, say, horizon = $bindable() }: Props = $props()
  const unit = $derived(by === 'week' ? 'week' : 'session')
  const rows = $derived(passings.rows.toReversed())
  const at = $derived(passings.after[Math.min(horizon, passings.after.length - 1)]!)
  const dropped = $derived(
    passings.rows.some((row) => row.counted.some((c, i) => !c && row.returns[i] !== null)),
  )

  function take(): void {
    const head = [
      'day',
      'extreme',
      ...passings.after.flatMap((a) => [`after ${a.horizon}`, `counted ${a.horizon}`]),
    ]
    const body = rows.map((row) => [
      row.day,
      row.extreme,
      ...row.returns.flatMap((value, i) => [value, row.counted[i]!]),
    ])
    download('crossings.csv', csv(head, body))
  }
</script>

<div class="mt-3 grid grid-cols-1 gap-x-10 gap-y-4 min-[1000px]:grid-cols-[minmax(0,640px)_minmax(0,1fr)]">
  <div class="min-w-0 overflow-x-auto">
    <h2 class="font-title text-[18px]">
      {#if passings.days.length}After each of the {passings.days.length} crossing{passings.days.length === 1
          ? ''
          : 's'}, {beside}{:else}It never crossed that level from {passings.way}{/if}
    </h2>
    {#if passings.days.length}
      <table class="mt-1 w-full text-[13px]">
        <thead>
          <tr class="border-b border-hair text-ink2">
            <th scope="col" class="py-1 text-left font-semibold">{unit}</th>
            <th
              scope="col"
              class="pl-3 text-right font-semibold"
              title={passings.way === 'below'
                ? 'The lowest value before it rose over the level, since it was last over it'
                : 'How low it went before it was over the level again, so far'}
              >{passings.way === 'below' ? 'from' : 'went to'}</th
            >
            {#each passings.after as a, i (a.horizon)}
              <th scope="col" class="pl-3 text-right font-semibold" aria-sort={undefined}
                ><button
                  class="font-semibold {i === horizon
                    ? 'text-ember underline underline-offset-4'
                    : 'text-ink2'}"
                  aria-pressed={i === horizon}
                  title="Say what {a.horizon} {unit}s come to"
                  onclick={() => (horizon = i)}>+{a.horizon}{i === 0 ? ` ${unit}s` : ''}</button
                ></th
              >
            {/each}
          </tr>
        </thead>
        <tbody class="tabular-nums">
          <tr class="border-b border-hair/60 font-semibold">
            <th scope="row" class="py-1 text-left">mean</th>
            <td></td>
            {#each passings.after as a (a.horizon)}
              <td class="num pl-3 {tone(a.mean)}">{percent(a.mean)}</td>
            {/each}
          </tr>
          <tr class="border-b border-hair/60 text-ink2">
            <th scope="row" class="py-1 text-left font-normal">median</th>
            <td></td>
            {#each passings.after as a (a.horizon)}<td class="num pl-3">{percent(a.median)}</td>{/each}
          </tr>
          <tr class="border-b border-hair/60 text-ink2">
            <th
              scope="row"
              class="py-1 text-left font-normal"
              title="95% interval of the mean, by Student’s t over the crossings that count">interval</th
            >
            <td></td>
            {#each passings.after as a (a.horizon)}
              <td class="num pl-3 text-[12px]"
                >{a.low === null ? '–' : `${percent(a.low, 0, false)} to ${percent(a.high, 0, false)}`}</td
              >
            {/each}
          </tr>
          <tr class="border-b border-hair/60 text-ink3">
            <th scope="row" class="py-1 text-left font-normal">any {unit}, mean</th>
            <td></td>
            {#each passings.after as a (a.horizon)}<td class="num pl-3">{percent(a.any_mean)}</td>{/each}
          </tr>
          <tr class="border-b border-hair/60 text-ink3">
            <th scope="row" class="py-1 text-left font-normal">any {unit}, median</th>
            <td></td>
            {#each passings.after as a (a.horizon)}<td class="num pl-3">{percent(a.any_median)}</td>{/each}
          </tr>
          <tr class="border-b border-hair text-ink3">
            <th scope="row" class="py-1 text-left font-normal">crossings that count</th>
            <td></td>
            {#each passings.after as a (a.horizon)}<td class="num pl-3">{a.count}</td>{/each}
          </tr>
          {#each rows as row (row.day)}
            <tr class="border-b border-hair/60">
              <th scope="row" class="py-1 text-left font-normal whitespace-nowrap"
                ><button
                  class="hover:underline"
                  title="Stand on that evening, in Rules"
                  onclick={() => {
                    void standOn(row.day)
                    go('/rules')
                  }}>{day(row.day)}</button
                ></th
              >
              <td class="num pl-3 text-ink2">{say(row.extreme)}</td>
              {#each row.returns as value, i (i)}
                <td
                  class="num pl-3 {row.counted[i] ? tone(value) : 'text-ink3 opacity-70'}"
                  title={value === null
                    ? 'Still to come'
                    : row.counted[i]
                      ? undefined
                      : 'Not counted: the crossing before it was still running'}
                  >{value === null ? '…' : row.counted[i] ? percent(value) : `(${percent(value)})`}</td
                >
              {/each}
            </tr>
          {/each}
        </tbody>
      </table>
      <p class="mt-1 text-[12px] text-ink3">
        From the close of the {unit} it passed on; splits and dividends included.
        {#if dropped}In brackets: it came while the one before was still running, and does not count again.{/if}
        <button class="link underline" onclick={take}>Take them as CSV</button>
      </p>
    {/if}
  </div>
  {#if passings.days.length}
    <p class="font-title text-[22px] leading-snug" aria-live="polite">{at.verdict}</p>
  {/if}
</div>
