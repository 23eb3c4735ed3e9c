<script lang="ts">
  /** What is counted, of whom, beside what and past which level: a sentence whose parts are controls. */
  import { market } from '$lib/market.svelte'
  import NumberField from '$lib/NumberField.svelte'
  import Universe from '$lib/ui/Universe.svelte'
  import { inShort } from './head'
  import type { OpenBreadth } from './open.svelte'

  interface Props {
    open: OpenBreadth
    /** It shows a share: levels are in percent. */
    share: boolean
    editing: boolean
  }
  let { open, share, editing = $bindable() }: Props = $props()
</script>

<p class="mt-0.5 flex flex-wrap items-baseline gap-x-1.5 text-[13px] text-ink2">
  <select
    class="inline-pick font-semibold text-ink"
    aria-label="What it shows"
    value={open.head.shows ?? 'share'}
    onchange={(event) => {
      open.set('shows', event.currentTarget.value === 'share' ? '' : event.currentTarget.value)
      open.see({ level: null })
    }}
  >
    <option value="share">{open.head.weight ? 'share by weight' : 'share'}</option>
    <option value="count">{open.head.weight ? 'sum of weights' : 'count'}</option>
    <option value="sum">running sum</option>
  </select>
  of <Universe value={open.head.universe ?? ''} onchange={(next) => open.set('universe', next)} />, members of
  that day, for which
  <button
    class="max-w-[46ch] truncate border-b border-dotted border-ink3 font-mono text-ink"
    aria-expanded={editing}
    title="Write the condition"
    onclick={() => (editing = !editing)}>{inShort(open.body) || 'no condition yet'}</button
  >
  on
  <select
    class="inline-pick font-semibold text-ink"
    aria-label="Bars of the condition"
    value={open.head.bars ?? 'day'}
    onchange={(event) =>
      open.set('bars', event.currentTarget.value === 'day' ? '' : event.currentTarget.value)}
  >
    {#each ['day', 'week', 'month'] as frame (frame)}<option value={frame}>{frame} bars</option>{/each}
  </select>
  {#if open.head.less}<span>less those with <code class="text-ink">{open.head.less}</code></span>{/if}
  {#if open.head.weight}<span>weighed by <code class="text-ink">{open.head.weight}</code></span>{/if}
  · each
  <select
    class="inline-pick font-semibold text-ink"
    aria-label="A value each"
    value={open.look.by}
    onchange={(event) => open.see({ by: event.currentTarget.value as 'day' | 'week' })}
  >
    <option value="day">session</option>
    <option value="week">week</option>
  </select>
  · smoothed over
  <NumberField
    class="inline-pick num w-9 text-left! text-ink"
    min={1}
    max={250}
    label="Smoothed over so many values"
    value={open.look.smooth}
    onvalue={(value) => open.see({ smooth: Math.round(value ?? 1) })}
  />
  · beside
  <input
    class="inline-pick w-20 font-semibold text-ink uppercase"
    aria-label="Instrument beside it"
    list="breadth-beside"
    placeholder={market.now?.benchmark ?? 'none'}
    value={open.look.beside ?? ''}
    onchange={(event) => open.see({ beside: event.currentTarget.value.trim().toUpperCase() || null })}
  />
  <datalist id="breadth-beside">
    {#if market.now?.benchmark}<option value={market.now.benchmark}></option>{/if}
  </datalist>
  · marked when it passes
  <NumberField
    class="inline-pick num w-12 text-left! font-semibold text-ink"
    step={share ? 1 : 10}
    label="Level that is passed{share ? ', in percent' : ''}"
    value={open.look.level === null
      ? null
      : share
        ? Number(((open.look.level ?? 0) * 100).toPrecision(6))
        : open.look.level}
    onvalue={(value) => value !== null && open.see({ level: share ? value / 100 : value })}
  />{share ? '%' : ''}
  <select
    class="inline-pick font-semibold text-ink"
    aria-label="From where it is passed"
    value={open.look.way}
    onchange={(event) => open.see({ way: event.currentTarget.value as 'below' | 'above' })}
  >
    <option value="below">from below</option>
    <option value="above">from above</option>
  </select>
</p>
