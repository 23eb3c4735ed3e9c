<script lang="ts">
  /** One trade or signal on its chart, above a list that it steps through: its sentence, its keys, and what is drawn over the bars. */
  import type { Snippet } from 'svelte'
  import type { Chart } from '$lib/api'
  import { commandIn } from '$lib/commands'
  import PriceChart, { type View } from './PriceChart.svelte'

  interface Props {
    kind: 'Trade' | 'Signal'
    symbol: string
    place?: string
    data: Chart | null
    shown: number
    failed: string
    /** What the steps go through: `hit` or `trade`; no steps without. */
    step?: string
    onstep?: (by: 1 | -1) => void
    onclose: () => void
    sentence: Snippet
    actions?: Snippet
    /** Drawn over the bars, inside an svg. */
    marks: Snippet<[View]>
    /** Drawn over the bars, beside that svg. */
    over?: Snippet<[View]>
    foot?: Snippet
  }
  const {
    kind,
    symbol,
    place = '',
    data,
    shown,
    failed,
    step = '',
    onstep,
    onclose,
    sentence,
    actions,
    marks,
    over: beside,
    foot,
  }: Props = $props()

  function keydown(event: KeyboardEvent): void {
    const command = commandIn(event, 'trade')
    if (command === 'trade.close') onclose()
    else if (onstep && command === 'trade.next') onstep(1)
    else if (onstep && command === 'trade.before') onstep(-1)
    else return
    event.preventDefault()
    event.stopPropagation()
  }
</script>

<svelte:window onkeydowncapture={keydown} />

<section class="flex h-full flex-col bg-paper" aria-label="{kind} in {symbol}">
  <div class="flex shrink-0 flex-wrap items-baseline gap-x-3 border-b border-hair px-4 py-2 text-[13px]">
    <span class="font-mono font-semibold">{symbol}</span>
    {#if place}<span class="text-ink3">{place}</span>{/if}
    {@render sentence()}
    <span class="ml-auto flex gap-4 whitespace-nowrap">
      {#if onstep}
        <button class="link" title="The {step} before (k)" onclick={() => onstep(-1)}>before</button>
        <button class="link" title="The next {step} (j)" onclick={() => onstep(1)}>next</button>
      {/if}
      {@render actions?.()}
      <button class="link" title="Escape" onclick={onclose}>close</button>
    </span>
  </div>
  {#if failed}
    <p role="alert" class="p-6 text-loss">{failed}</p>
  {:else if !data}
    <p class="p-6 text-ink2">Drawing {symbol || 'the trade'} …</p>
  {:else}
    <div class="min-h-0 flex-1">
      <PriceChart {data} {shown} onpoint={() => {}}>
        {#snippet over(view)}
          {@render beside?.(view)}
          <svg
            data-over
            class="pointer-events-none absolute inset-0 h-full w-full"
            viewBox="0 0 {view.width} {view.height}"
            aria-hidden="true"
          >
            {@render marks(view)}
          </svg>
        {/snippet}
      </PriceChart>
    </div>
    {@render foot?.()}
  {/if}
</section>
