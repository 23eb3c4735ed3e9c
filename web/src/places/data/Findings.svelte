<script lang="ts">
  /** What looks wrong in the data: each finding with its chart, and how it can be settled. */
  import { data, sentence, type DataThere } from '$lib/api'
  import { attempt, undoable } from '$lib/mutation'
  import MiniChart from '$lib/charts/MiniChart.svelte'
  import { day as shownDay, whole } from '$lib/format'
  import { market } from '$lib/market.svelte'
  import { tell } from '$lib/notice.svelte'
  import { ask, query } from '$lib/queries'

  type Found = DataThere['findings']['open'][number]
  const { findings, may }: { findings: DataThere['findings']; may: boolean } = $props()
  let open = $state<string | null>(null)
  let kind = $state<string | null>(null)
  let busy = $state(false)
  const key = (one: Found) => `${one.kind} ${one.symbol} ${one.day} ${one.said}`
  const shown = $derived(findings.open.filter((one) => kind === null || one.kind === kind))
  const total = $derived(findings.kinds.reduce((sum, one) => sum + one.open, 0))
  const seen = $derived(findings.open.find((one) => key(one) === open) ?? null)

  /** Some sessions after the finding, so that one sees what became of it. */
  function after(one: Found): string {
    const sessions = market.now?.sessions ?? []
    const at = sessions.findLastIndex((day) => day <= one.until)
    return sessions[Math.min(at + 20, sessions.length - 1)] ?? one.until
  }
  const chart = query(() => ({
    ...ask.charts({
      symbols: seen ? [seen.symbol] : [],
      as_of: seen ? after(seen) : null,
      frame: 'day',
      bars: 60,
      text: '',
    }),
    enabled: seen !== null,
  }))

  async function settle(one: Found, how: string, said: string): Promise<void> {
    busy = true
    const work = async () => {
      const at = { kind: one.kind, symbol: one.symbol, day: one.day }
      await data.settle({ ...at, how })
      open = null
      const done = `${one.symbol}, ${shownDay(one.day)}: ${said.toLowerCase()}.`
      if (how === 'split' || how === 'out') tell(`${done} It stands among the imports, and is undone there.`)
      else undoable(done, ['data'], () => data.openAgain(at))
    }
    await attempt(['data'], work, 'shown') // not to be settled twice
    busy = false
  }
</script>

<section class="mt-10" aria-label="Findings">
  <h2 class="font-title text-[19px]">Findings</h2>
  {#if !findings.fresh}
    <p role="status" class="mt-1 text-[13px] text-ink2">The data are being looked through …</p>
  {:else if !total}
    <p class="mt-1 text-[13px] text-ink2">
      Nothing looks wrong: no session is missing, no move looks like an unrecorded split, nothing stands
      still.{findings.settled ? ` ${whole(findings.settled)} settled before.` : ''}
    </p>
  {/if}
  {#if total}
    <p class="mt-1 flex flex-wrap gap-x-4 text-[13px]">
      <button
        class={kind === null ? 'font-semibold' : 'link'}
        aria-pressed={kind === null}
        onclick={() => (kind = null)}>All {whole(total)}</button
      >
      {#each findings.kinds as one (one.kind)}
        <button
          class={kind === one.kind ? 'font-semibold' : 'link'}
          aria-pressed={kind === one.kind}
          onclick={() => (kind = kind === one.kind ? null : one.kind)}>{one.title} {whole(one.open)}</button
        >
      {/each}
    </p>
    <ul class="mt-2 text-[13px]">
      {#each shown as one (key(one))}
        <li class="border-t border-hair/60 py-1.5">
          <button
            class="grid w-full grid-cols-[90px_150px_minmax(0,1fr)] items-baseline gap-4 text-left hover:text-ember"
            aria-expanded={open === key(one)}
            onclick={() => (open = open === key(one) ? null : key(one))}
          >
            <b class="font-mono font-semibold">{one.symbol}</b>
            <span class="text-ink2"
              >{shownDay(one.day)}{one.until !== one.day ? ` to ${shownDay(one.until)}` : ''}</span
            >
            <span class="min-w-0 break-words"
              ><span class="text-ink3">{findings.kinds.find((k) => k.kind === one.kind)?.title}:</span>
              {one.said}</span
            >
          </button>
          {#if open === key(one)}
            <div class="mt-2 mb-2 pl-[106px]">
              <div class="h-[170px] max-w-[560px]">
                {#if chart.data?.[0]}<MiniChart data={chart.data[0]} />{:else}<p class="text-ink3">
                    {chart.error ? sentence(chart.error) : `Drawing ${one.symbol} …`}
                  </p>{/if}
              </div>
              {#if may}
                <div class="mt-2 flex flex-wrap gap-2">
                  {#each one.ways as { way, said } (way)}
                    <button class="quiet" disabled={busy} onclick={() => settle(one, way, said)}
                      >{said}</button
                    >
                  {/each}
                </div>
              {/if}
            </div>
          {/if}
        </li>
      {/each}
    </ul>
    {#if total > findings.open.length}
      <p class="mt-2 text-[13px] text-ink2">
        The first {whole(findings.open.length)} are listed; settle some, and the others follow.
      </p>
    {/if}
  {/if}
</section>
