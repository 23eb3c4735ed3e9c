<script lang="ts">
  /** How much was luck: random picks, the days in another order, and one thing otherwise. */
  import { books, type BookResult, type Schemas } from '$lib/api'
  import { fixed, percent, whole } from '$lib/format'
  import Progress from '$lib/Progress.svelte'
  import { Watched } from '$lib/watched.svelte'
  import Spread from './Spread.svelte'

  interface Props {
    run: number
    result: BookResult
    picks: Watched<Schemas['BookLuckRun']>
    luck: Schemas['LuckOut'] | null
    ranked: boolean
  }
  const { run, result, picks, luck, ranked }: Props = $props()
  const others = new Watched<Schemas['BookWhatIfRun']>('book-what-if', books.whatIf, {
    stop: books.stop,
    again: books.again,
  })
  let of = $state(0)
  const whatIf = $derived(of === run ? (others.result as Schemas['WhatIfOut'] | null) : null)
  const start = () => others.start(() => books.startWhatIf(run)).then((done) => done && (of = run))
  $effect(() => {
    void run
    void start()
  })
  $effect(() => () => others.leave())
</script>

<h2 class="font-title text-[19px]">{luck ? luck.verdict : 'Luck of the pick'}</h2>
<Progress watched={picks} onagain={() => void picks.start(() => books.startLuck(run, 500))} />
{#if luck}
  <p class="max-w-[75ch] text-[13px] text-ink2">
    {whole(luck.picks)} runs with the pick among too many signals drawn at random{ranked
      ? ', and where the chosen rank falls among them'
      : ''}: annual return. {whole(luck.crowded)} signals found no slot.
  </p>
  <div class="h-[150px] max-w-[760px]">
    <Spread
      values={luck.annual}
      mark={luck.own}
      low={luck.low}
      high={luck.high}
      label="Annual return of random picks"
    />
  </div>
{/if}

<h2 class="mt-5 font-title text-[19px]">The days in another order</h2>
{#if result.paths}
  {@const paths = result.paths}
  <p class="max-w-[75ch] text-[13px] text-ink2">
    {whole(paths.paths)} paths of this run’s daily returns, drawn again in blocks of {paths.block} sessions in the
    mean. A year makes {percent(paths.annual_low)} to {percent(paths.annual_high)}; the max drawdown is {percent(
      paths.fall_high,
    )} to
    {percent(paths.fall_low)}, {percent(paths.fall_median)} in the middle.
  </p>
  <table class="mt-2 text-[13px]">
    <caption class="sr-only">Chance of standing under the beginning at some time</caption>
    <tbody>
      {#each paths.losses as { loss, chance } (loss)}
        <tr class="border-b border-hair/60">
          <th scope="row" class="text-left font-normal"
            >Chance of standing {loss === 0.1 ? 'a tenth' : loss === 0.25 ? 'a quarter' : 'half'} under the beginning
            at some time</th
          >
          <td class="num pl-6 font-semibold">{percent(chance, chance < 0.1 ? 1 : 0, false)}</td>
        </tr>
      {/each}
    </tbody>
  </table>
{:else}
  <p class="text-[13px] text-ink2">There are too few days to draw from.</p>
{/if}

<h2 class="mt-5 font-title text-[19px]">What if</h2>
<Progress watched={others} onagain={() => void start()} />
{#if whatIf}
  <table class="mt-1 text-[13px]">
    <thead>
      <tr class="border-b border-hair text-ink2">
        <th scope="col" class="text-left font-semibold">The same book</th>
        <th scope="col" class="pl-6 text-right font-semibold">A year</th>
        <th scope="col" class="pl-6 text-right font-semibold">Difference</th>
        <th
          scope="col"
          class="pl-6 text-right font-semibold"
          title="95% interval of the difference, both drawn on the same days">Interval</th
        >
        <th scope="col" class="pl-6 text-right font-semibold">Max drawdown</th>
        <th scope="col" class="pl-6 text-right font-semibold">Return / drawdown</th>
        <th scope="col" class="pl-6 text-right font-semibold">Trades</th>
      </tr>
    </thead>
    <tbody>
      <tr class="border-b border-hair/60 bg-row">
        <th scope="row" class="text-left font-semibold">as it is</th>
        <td class="num pl-6">{percent(result.figures.annual ?? result.figures.total)}</td>
        <td></td>
        <td></td>
        <td class="num pl-6">{percent(result.figures.worst_fall)}</td>
        <td class="num pl-6">{fixed(result.figures.mar)}</td>
        <td class="num pl-6">{whole(result.figures.trades)}</td>
      </tr>
      {#each whatIf.rows as row (row.label)}
        <tr class="border-b border-hair/60">
          <th scope="row" class="text-left font-normal">{row.label}</th>
          {#if row.curve}
            <td class="num pl-6">{percent(row.curve.annual ?? row.curve.total)}</td>
            <td class="num pl-6 font-semibold">{percent(row.difference)}</td>
            <td class="num pl-6 text-ink2"
              >{row.low === null ? '–' : `${percent(row.low)} … ${percent(row.high)}`}</td
            >
            <td class="num pl-6">{percent(row.curve.worst_fall)}</td>
            <td class="num pl-6">{fixed(row.curve.mar)}</td>
            <td class="num pl-6">{whole(row.trades)}</td>
          {:else}<td colspan="6" class="pl-6 text-ink2">{row.note}</td>{/if}
        </tr>
      {/each}
    </tbody>
  </table>
{/if}
