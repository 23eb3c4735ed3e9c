<script module lang="ts">
  /** Notes that are written and not kept yet, by item: a half-written one is neither lost nor another's. */
  const drafts = $state<Record<number, string>>({})
</script>

<script lang="ts">
  /** What is known of the instrument in view: technical state, what the watched rules say, notes and history. */
  import { sentence } from '$lib/api'
  import { attempt } from '$lib/mutation'
  import { fixed, moment, percent, price } from '$lib/format'
  import { bench, type BenchItem, type Position } from '$lib/desk'
  import { market } from '$lib/market.svelte'
  import { ask, query } from '$lib/queries'
  import { go } from '$lib/router.svelte'
  import FactsAside from '$lib/chart-pane/FactsAside.svelte'
  import Fills from './Fills.svelte'

  interface Props {
    item: BenchItem
    position: Position | null
    noting: boolean
    entering: boolean
  }
  let { item, position, noting = $bindable(), entering = $bindable() }: Props = $props()
  const state_ = query(() => ask.technicalState(item.symbol, market.asOf))
  const past = query(() => ask.benchHistory(item.id))
  const now = $derived(state_.data ?? null)
  let box: HTMLTextAreaElement | undefined = $state()
  $effect(() => {
    if (noting && box) {
      box.focus()
      noting = false
    }
  })
  const rows = $derived([
    ['from the year’s high', percent(now?.off_high)],
    ['above the year’s low', percent(now?.above_low)],
    ['rank of three months’ change', fixed(now?.strength, 0)],
    ['average daily range', percent(now?.adr, 1, false)],
    ['average true range', price(now?.atr)],
    ['volume, times usual', fixed(now?.rel_volume, 1)],
    ['bars in a squeeze', typeof now?.squeeze === 'number' ? `${now.squeeze}` : '–'],
    ['next report', reportIn(now)],
  ] as const)
  function reportIn(state: typeof now): string {
    if (!state) return '–'
    if (state.report === null) return 'not announced'
    return state.report === 0 ? 'today' : `in ${state.report} days`
  }

  async function keep(event: SubmitEvent): Promise<void> {
    event.preventDefault()
    const [of, text] = [item.id, drafts[item.id] ?? '']
    if (!text.trim()) return
    drafts[of] = '' // the next may be begun before this one is kept
    const done = await attempt(['bench'], () => bench.note(of, text, market.asOf))
    if (!done) drafts[of] = [text, drafts[of]].filter(Boolean).join('\n')
  }
</script>

<aside
  class="min-h-0 overflow-auto border-hair px-4 py-3 text-[13px] min-[1200px]:border-l"
  aria-label="What is known of {item.symbol}"
>
  {#if position}<Fills {item} {position} bind:entering />{/if}
  {#if state_.error}
    <p role="alert" class="text-loss">{sentence(state_.error)}</p>
  {:else}
    <!-- As high while it is loaded as it will be: what stands under it is not to move away from under a pointer. -->
    <p
      class="min-h-[71px] font-title text-[17px] leading-snug {position?.fills.length ? 'mt-4' : ''} {now
        ? ''
        : 'text-ink2'}"
    >
      {now ? now.trend : `Loading ${item.symbol} …`}
    </p>
    <table class="mt-2 w-full">
      <tbody>
        {#each rows as [label, value] (label)}
          <tr class="border-b border-hair/60"
            ><th scope="row" class="py-[3px] text-left font-normal text-ink2">{label}</th><td class="num"
              >{value}</td
            ></tr
          >
        {/each}
      </tbody>
    </table>
    {#if now?.rules.length}
      <h2 class="mt-4 font-title text-[16px]">Watched rules</h2>
      <ul>
        {#each now.rules as one (one.rule)}
          <li class="flex gap-2 border-b border-hair/60 py-[3px]">
            <button
              class="min-w-0 flex-1 truncate text-left hover:underline"
              onclick={() => go(`/rules/${one.rule}`)}>{one.name}</button
            >
            <span class={one.hit ? 'font-semibold text-ember' : 'text-ink3'}
              >{one.fresh ? 'fresh hit' : one.hit ? 'hit' : 'no hit'}</span
            >
          </li>
        {/each}
      </ul>
    {/if}
  {/if}
  <details class="mt-4">
    <summary class="cursor-pointer font-title text-[16px]">Facts and reports</summary>
    <div class="mt-1"><FactsAside symbol={item.symbol} /></div>
  </details>
  <h2 class="mt-4 font-title text-[16px]">Notes and history</h2>
  <form class="mt-1" onsubmit={keep}>
    <textarea
      bind:this={box}
      class="field w-full"
      rows="2"
      maxlength="2000"
      aria-label="A note on {item.symbol}"
      placeholder="a note (n)"
      bind:value={() => drafts[item.id] ?? '', (text) => (drafts[item.id] = text)}
    ></textarea>
    {#if drafts[item.id]?.trim()}<button class="quiet">Keep</button>{/if}
  </form>
  <ul class="mt-1">
    {#each past.data ?? [] as one (one.id)}
      <li class="border-b border-hair/60 py-1">
        {#if one.kind === 'note'}<p class="whitespace-pre-wrap">{one.text}</p>{/if}
        <p class="text-[12px] text-ink3">
          {moment(one.moment)}{one.kind === 'note'
            ? ''
            : `: ${['filled', 'paper'].includes(one.kind) ? '' : `${one.kind} `}${one.text}`}
        </p>
      </li>
    {/each}
  </ul>
</aside>
