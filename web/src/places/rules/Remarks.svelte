<script lang="ts">
  /** What is to be said of the lines: what is wrong, what would be better, and who nearly passed. */
  import type { RuleProblem } from '$lib/api'
  import { whole } from '$lib/format'
  import type { Counts } from './counts.svelte'

  interface Props {
    counts: Counts
    /** Header lines before the body: the server's line numbers less this are the editor's. */
    offset: number
    chosen: string | null
    online: (line: number) => void
    onapply: (mended: RuleProblem) => void
    onlook: (symbol: string) => void
  }
  const { counts, offset, chosen, online, onapply, onlook }: Props = $props()
  let nearLine = $state<number | null>(null)
  const shownErrors = $derived(counts.errors.map((e) => ({ ...e, at: e.line - offset })))
  const near = $derived.by(() => {
    // eslint-disable-next-line svelte/prefer-svelte-reactivity -- local to this computation
    const byLine = new Map<number, string[]>()
    for (const miss of counts.scan?.near_misses ?? [])
      byLine.set(miss.line, [...(byLine.get(miss.line) ?? []), miss.symbol])
    return [...byLine.entries()].sort((a, b) => a[0] - b[0])
  })
  const emptied = $derived(
    counts.scan && counts.scan.hits_total === 0
      ? counts.scan.lines.find((line) => line.depth === 0 && !line.skip && line.left === 0)
      : undefined,
  )
</script>

<div class="flex flex-col gap-1.5 px-4 py-2 pl-[46px] text-[13px]" aria-live="polite">
  {#if counts.trouble}<p class="text-loss">{counts.trouble}</p>{/if}
  {#each shownErrors as error, e (e)}
    <p>
      <span class="font-semibold text-loss" aria-hidden="true">✕</span>
      {#if error.at >= 1}<button class="hover:underline" title="Go there" onclick={() => online(error.at)}
          >Line {error.at}, column {error.column}:</button
        >{/if}
      {error.message}
      {#if error.mend !== null && error.mend !== undefined}
        <button class="underline underline-offset-3" onclick={() => onapply(error)}>
          {error.mend === '' ? 'Remove' : `Write ${error.mend}`}
        </button>
      {/if}
    </p>
  {/each}
  {#each counts.advice as hint, h (h)}
    <p>
      <span class="font-semibold text-ember" aria-hidden="true">!</span>
      <button class="hover:underline" title="Go there" onclick={() => online(hint.line - offset)}
        >Line {hint.line - offset}:</button
      >
      {hint.message}
      {#if hint.mend}
        <button class="underline underline-offset-3" onclick={() => onapply(hint)}>Write {hint.mend}</button>
      {/if}
    </p>
  {/each}
  {#if counts.scan && counts.errors.length === 0}
    {#if emptied}
      <p>
        <span class="font-semibold text-ember">No hits.</span> Line {emptied.number - offset} empties the list:
        <code class="font-mono">{emptied.text}</code>
      </p>
    {/if}
    {#if near.length}
      <p class="text-ink2">
        {whole(counts.scan.near_misses.length)} near {counts.scan.near_misses.length === 1
          ? 'miss'
          : 'misses'}:
        {#each near as [line, symbols], i (line)}{i ? ' ' : ''}<span class="whitespace-nowrap"
            ><button
              class="underline underline-offset-3"
              aria-expanded={nearLine === line}
              onclick={() => (nearLine = nearLine === line ? null : line)}
              >{whole(symbols.length)}
              {symbols.length === 1 ? 'fails' : 'fail'} only line {line - offset}</button
            >{i < near.length - 1 ? ',' : '.'}</span
          >{/each}
      </p>
      {#each near.filter(([line]) => line === nearLine) as [line, symbols] (line)}
        <p class="font-mono text-[12px] leading-relaxed text-ink2">
          {#each symbols as symbol (symbol)}<button
              class="mr-2.5 hover:text-ink hover:underline {chosen === symbol
                ? 'font-semibold text-ink'
                : ''}"
              title="Look at its chart"
              onclick={() => onlook(symbol)}>{symbol}</button
            >{/each}
        </p>
      {/each}
    {/if}
  {/if}
</div>
