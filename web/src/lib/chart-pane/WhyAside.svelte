<script lang="ts">
  import { untrack } from 'svelte'
  import { ask, query } from '$lib/queries'
  import { fixed, moment, percent, short } from '$lib/format'

  const { symbol, text, on }: { symbol: string; text: string; on: string } = $props()
  let asked = $state(untrack(() => ({ text, symbol, on })))
  // The pointer moves over many bars on its way.
  $effect(() => {
    const next = { text, symbol, on }
    const timer = setTimeout(() => (asked = next), 60)
    return () => clearTimeout(timer)
  })
  const answer = query(() => ask.explain(asked.text, asked.symbol, asked.on))
  const truths = $derived(answer.error ? [] : (answer.data ?? null))

  function side(value: number | null | undefined, share: boolean): string {
    if (value === null || value === undefined) return '–'
    if (share) return percent(value, 1, false)
    const size = Math.abs(value)
    if (size >= 10_000) return short(value)
    return size >= 1 ? fixed(value, 2) : fixed(value, 4)
  }
</script>

<p class="text-ink2">{symbol} on {moment(on)}</p>
{#if truths === null}
  <p class="text-ink3">Looking …</p>
{:else if !truths.length}
  <p class="text-ink3">The rule cannot be asked while it has errors, or {symbol} has no bar on this day.</p>
{:else}
  <ul>
    {#each truths as line, i (i)}
      <li class="border-t border-hair py-1">
        <div class="flex gap-2 font-mono">
          <span
            class="w-3 shrink-0 font-semibold {line.truth === true
              ? 'text-gain'
              : line.truth === false
                ? 'text-loss'
                : 'text-ink3'}"
            role="img"
            aria-label={line.truth === true ? 'true' : line.truth === false ? 'false' : 'unknown'}
            >{line.truth === true ? '✓' : line.truth === false ? '✕' : '?'}</span
          >
          <span class="min-w-0 break-words">{line.text}</span>
        </div>
        {#if line.left_value !== null || line.right_value !== null}
          <div class="num pl-5 text-left text-ink2">
            {side(line.left_value, line.percent)}
            {line.operator}
            {side(line.right_value, line.percent)}{#if line.margin !== null}, by {side(
                line.margin,
                line.percent,
              )}{/if}
          </div>
        {/if}
      </li>
    {/each}
  </ul>
{/if}
