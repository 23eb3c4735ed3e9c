<script lang="ts">
  /** The evening in one look; everything leads where it comes from. */
  import { sentence } from '$lib/api'
  import { attempt, undoable } from '$lib/mutation'
  import EChart from '$lib/charts/EChart.svelte'
  import { MONO } from '$lib/charts/echarts'
  import { longMoment, percent, shortDay, whole } from '$lib/format'
  import { deskApi } from '$lib/desk'
  import { latest, market } from '$lib/market.svelte'
  import { ask, query } from '$lib/queries'
  import { go } from '$lib/router.svelte'
  import { colour } from '$lib/theme.svelte'
  import Attention from './Attention.svelte'
  import Positions from './Positions.svelte'

  const answer = query(() => ask.desk())
  const desk = $derived(answer.data ?? null)
  const fresh = $derived(desk ? new Set(desk.watched.flatMap((one) => one.fresh)) : new Set<string>())
  const all = $derived(desk?.watched.reduce((sum, one) => sum + one.hits, 0) ?? 0)
  const pending = $derived(desk?.watched.some((one) => one.pending) ?? false)
  const most = $derived(Math.max(1, ...(desk?.watched.map((one) => one.hits) ?? [1])))
  const past = $derived(market.asOf !== latest())
  let looking = $state(false)

  const link = (place: string) => (event: MouseEvent) => {
    if (event.ctrlKey || event.metaKey || event.shiftKey) return
    event.preventDefault()
    go(place)
  }

  async function unwatch(rule: number, name: string): Promise<void> {
    await attempt(['alerts'], async () => {
      await deskApi.watch(rule, false)
      undoable(`“${name}” is off the desk.`, ['alerts'], () => deskApi.watch(rule, true))
    })
  }

  const line = () => {
    const [ember, hair, ink3] = ['ember', 'hair', 'ink3'].map((n) => colour(n)) as [string, string, string]
    return {
      grid: { left: 34, right: 2, top: 6, bottom: 4 },
      xAxis: { type: 'category', data: desk!.breadth_days, show: false, boundaryGap: false },
      yAxis: {
        type: 'value',
        min: 0,
        max: 1,
        interval: 0.5,
        axisLabel: {
          color: ink3,
          fontFamily: MONO,
          fontSize: 10,
          formatter: (v: number) => percent(v, 0, false),
        },
        splitLine: { lineStyle: { color: hair } },
      },
      series: [
        {
          type: 'line',
          data: desk!.breadth,
          symbol: 'none',
          silent: true,
          lineStyle: { color: ember, width: 1.4 },
        },
      ],
    }
  }
</script>

<svelte:head><title>Desk, Upper Wick</title></svelte:head>
<section
  class="h-full overflow-auto"
  data-state={answer.isFetching && !desk ? 'counting' : pending ? 'computing' : 'counted'}
>
  {#if answer.error && !desk}
    <p role="alert" class="px-6 py-8 text-loss">
      {sentence(answer.error)} <button class="link" onclick={() => answer.refetch()}>Try again</button>
    </p>
  {:else if !desk}
    <p class="px-6 py-8 text-ink2">Loading …</p>
  {:else}
    <h1 class="sr-only">Desk</h1>
    {#if past}
      <p class="px-5 pt-2 text-[13px] text-ink2">
        The desk is of the latest moment, {longMoment(desk.moment ?? '')}, wherever you stand.
      </p>
    {/if}
    <Attention {desk} {link} />
    <div class="grid grid-cols-1 min-[1000px]:grid-cols-[400px_minmax(0,1fr)]">
      <div class="border-hair px-5 pt-4 pb-8 min-[1000px]:border-r">
        {#if desk.moment}
          <p class="font-title text-[23px] leading-snug">{desk.sentence || longMoment(desk.moment)}</p>
          {#if desk.breadth.length}
            <a href="/breadth" class="mt-2 block" onclick={link('/breadth')} title="Open Breadth">
              <span class="block text-right font-mono text-[11px] text-ink2"
                >members above sma(200), six months</span
              >
              <span class="block h-[84px]"
                ><EChart label="Members above their 200-day average over six months" option={line} /></span
              >
            </a>
          {/if}
        {:else}
          <p class="font-title text-[23px] leading-snug">There are no prices yet.</p>
          <p class="mt-1 text-ink2">
            Bring some in at the place <a class="underline" href="/data" onclick={link('/data')}>Data</a>.
          </p>
        {/if}
        <h2 class="mt-5 font-title text-[18px]">Alerts today</h2>
        {#if desk.told.length}
          <ul class="mt-1 text-[13px]">
            {#each desk.told as one (one.id)}
              <li class="border-b border-hair/60 py-1">
                <a
                  href="/outbox/{one.id}"
                  class="flex gap-3 hover:underline"
                  onclick={link(`/outbox/${one.id}`)}
                >
                  <span class="min-w-0 flex-1 {one.read ? 'text-ink2' : 'font-semibold'}">{one.subject}</span>
                  <span class="num text-ink3"
                    >{one.moment.length > 10 ? one.moment.slice(11, 16) : 'close'}</span
                  >
                </a>
              </li>
            {/each}
          </ul>
        {:else}
          <p class="mt-1 text-[13px] text-ink2">Nothing.</p>
        {/if}
        <p class="mt-1 text-[13px] text-ink2">
          All is in the <a class="underline underline-offset-3" href="/outbox" onclick={link('/outbox')}
            >outbox</a
          >{#if desk.unread}, {desk.unread} unread{/if};
          <a class="underline underline-offset-3" href="/outbox/alerts" onclick={link('/outbox/alerts')}
            >{desk.alerts} alert{desk.alerts === 1 ? '' : 's'}</a
          > armed.
        </p>
        <h2 class="mt-5 font-title text-[18px]">Ahead</h2>
        {#if desk.ahead.length}
          <table class="mt-1 w-full text-[13px]">
            <tbody>
              {#each desk.ahead as one, i (i)}
                <tr class="border-b border-hair/60 align-baseline">
                  <th scope="row" class="py-1 pr-3 text-left font-mono font-normal whitespace-nowrap"
                    >{shortDay(one.day)}</th
                  >
                  <td
                    >{one.what}{#if one.symbols.length}<span class="text-ink2"
                        >: {one.symbols.join(', ')}</span
                      >{/if}</td
                  >
                </tr>
              {/each}
            </tbody>
          </table>
        {:else}
          <p class="mt-1 text-[13px] text-ink2">No report or announcement is known of the next seven days.</p>
        {/if}
        {#if desk.waiting.length}
          <h2 class="mt-5 font-title text-[18px]">Waiting</h2>
          <ul class="mt-1 text-[13px]">
            {#each desk.waiting as one, i (i)}
              <li class="border-b border-hair/60 py-1">
                <a href={one.place} class="hover:underline" onclick={link(one.place)}>{one.what}</a>
              </li>
            {/each}
          </ul>
        {/if}
      </div>
      <div class="min-w-0 px-5 pt-4 pb-10">
        <div class="flex flex-wrap items-baseline gap-x-3 gap-y-1">
          <h2 class="font-title text-[20px]">
            New {(desk.moment?.length ?? 0) > 10 ? 'at this minute' : 'this evening'}
          </h2>
          {#if desk.watched.length}
            <span class="text-[13px] text-ink2"
              >{desk.watched.length} watched rule{desk.watched.length === 1 ? '' : 's'}, {fresh.size} new of {whole(
                all,
              )}
              hits{pending ? '; some are still being computed' : ''}</span
            >
          {/if}
          {#if fresh.size}
            <button class="act ml-auto" onclick={() => (looking = !looking)}
              >{looking ? 'Back to the rules' : `Look through the ${fresh.size}`}</button
            >
          {/if}
        </div>
        {#if !desk.watched.length}
          <p class="mt-3 max-w-[60ch] text-[14px] text-ink2">
            No rule is watched yet. Open one in <a class="underline" href="/rules" onclick={link('/rules')}
              >Rules</a
            >
            and choose <i>Watch it on the desk</i> under <i>More</i>: each evening its hits stand here, the
            new ones by name.
          </p>
        {:else if looking}
          {#await import('./Contact.svelte') then { default: Contact }}
            <Contact {desk} symbols={[...fresh].sort()} />
          {/await}
        {:else}
          <div class="overflow-x-auto">
            <table class="mt-2 w-full text-[13px]">
              <thead>
                <tr class="border-b border-hair text-ink2">
                  <th scope="col" class="py-1 text-left font-semibold">rule</th>
                  <th scope="col" class="pl-3 text-right font-semibold">new</th>
                  <th scope="col" class="pl-3 text-right font-semibold">all</th>
                  <th scope="col" class="pl-4"><span class="sr-only">new among all</span></th>
                  <th scope="col" class="pl-4 text-left font-semibold">names</th>
                  <th scope="col"><span class="sr-only">take off</span></th>
                </tr>
              </thead>
              <tbody>
                {#each desk.watched as one (one.rule)}
                  <tr class="border-b border-hair/60 align-baseline" class:waits={one.pending}>
                    <th scope="row" class="py-1.5 text-left font-semibold"
                      ><a
                        href="/rules/{one.rule}"
                        class="hover:underline"
                        onclick={link(`/rules/${one.rule}`)}>{one.name}</a
                      ></th
                    >
                    <td class="num pl-3 {one.fresh.length ? 'font-semibold text-ember' : ''}"
                      >{one.fresh.length}</td
                    >
                    <td class="num pl-3">{whole(one.hits)}</td>
                    <td class="w-[120px] pl-4" aria-hidden="true">
                      <span class="flex h-[7px]">
                        <span class="bg-ember" style:width="{(one.fresh.length / most) * 100}px"></span>
                        <span class="bg-paper2" style:width="{((one.hits - one.fresh.length) / most) * 100}px"
                        ></span>
                      </span>
                    </td>
                    <td class="pl-4">
                      {#if one.trouble}<span class="text-loss">{one.trouble}</span>
                      {:else}
                        <span class="font-mono text-[12.5px]"
                          >{#each one.fresh.slice(0, 5) as symbol, i (symbol)}{i ? ' ' : ''}<a
                              href="/symbol/{symbol}"
                              class="hover:underline"
                              title={desk.names[symbol]}
                              onclick={link(`/symbol/${symbol}`)}>{symbol}</a
                            >{/each}{#if one.fresh.length > 5}&nbsp;+{one.fresh.length - 5}{/if}</span
                        >
                        {#if one.pending}<span class="text-ink3">being computed …</span>{/if}
                      {/if}
                    </td>
                    <td class="pl-3 text-right"
                      ><button
                        class="link"
                        aria-label="Take {one.name} off the desk"
                        onclick={() => unwatch(one.rule, one.name)}>✕</button
                      ></td
                    >
                  </tr>
                {/each}
              </tbody>
            </table>
          </div>
        {/if}
        <Positions {desk} {link} />
      </div>
    </div>
  {/if}
</section>
