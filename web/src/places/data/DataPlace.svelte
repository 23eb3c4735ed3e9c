<script lang="ts">
  /** What is there of the market through time, what comes in, and what goes out. */
  import { sentence } from '$lib/api'
  import { longDay, size, whole } from '$lib/format'
  import { ask, query } from '$lib/queries'
  import Bring from './Bring.svelte'
  import Choices from './Choices.svelte'
  import Findings from './Findings.svelte'
  import Folder from './Folder.svelte'
  import Imports from './Imports.svelte'
  import Issues from './Issues.svelte'
  import TakeOut from './TakeOut.svelte'
  import There from './There.svelte'
  import Vendors from './Vendors.svelte'

  const asked = query(() => ask.data())
  const there = $derived(asked.data)
  const days = $derived(there?.frames.find((one) => one.frame === 'day') ?? there?.frames[0])
</script>

<svelte:head><title>Data, Upper Wick</title></svelte:head>
<section class="h-full overflow-auto">
  <div class="mx-auto max-w-[1180px] px-5 pt-5 pb-16">
    <h1 class="font-title text-[26px]">Data</h1>
    {#if asked.error}
      <p role="alert" class="mt-6 text-loss">
        {sentence(asked.error)} <button class="link" onclick={() => asked.refetch()}>Try again</button>
      </p>
    {:else if !there}
      <p class="mt-6 text-ink2">Loading …</p>
    {:else}
      <p class="mt-1 max-w-[90ch] text-[14px] text-ink2">
        {#if days}
          {there.invented ? 'An invented market: ' : ''}{whole(days.bars)}
          {days.frame === 'day' ? 'daily bars' : 'five-minute bars'} of {whole(days.instruments)} instrument{days.instruments ===
          1
            ? ''
            : 's'}{#if days.first && days.last},
            {longDay(days.first.slice(0, 10))} to {longDay(days.last.slice(0, 10))}{/if}; {size(there.bytes)} on
          disk. What comes in is merged: it adds and replaces bars by their own moment, and loses none.
        {:else}
          Nothing is here yet. Bring prices as CSV, Parquet or Arrow: one file, one a symbol, or a zip of
          them. The columns <i>date, open, high, low, close, volume</i> are enough, with <i>symbol</i> where a file
          holds several.
        {/if}
      </p>
      {#if there.everybody}
        <p class="mt-1 text-[13px] text-ink2">
          Nobody is staff here, so every account may bring data in and undo it. <code
            >upperwick account add NAME --staff</code
          >
          makes one that alone may.
        </p>
      {/if}
      {#if there.may}
        <Issues issues={there.issues} />
        <Bring
          tables={there.tables}
          universes={there.universes.map((one) => one.name)}
          first={!days}
          waiting={there.folder.asked}
        />
      {:else}
        <p class="mt-6 border-t border-hair pt-3 text-[14px] text-ink2">
          The market is everybody’s here: staff bring data in, and run the feed of an invented one. Ask one of
          them, or to be made staff.
        </p>
      {/if}
      {#if days}
        <div class="mt-8 grid gap-x-10 gap-y-8 min-[1000px]:grid-cols-[minmax(0,1fr)_300px]">
          <There {there} />
          <div class="flex flex-col gap-8">
            <Choices {there} />
            <TakeOut />
          </div>
        </div>
      {/if}
      {#if days}<Findings findings={there.findings} may={there.may} />{/if}
      <Imports imports={there.imports} may={there.may} />
      {#if there.may}
        <Vendors vendors={there.vendors} />
        <Folder folder={there.folder} />
      {/if}
    {/if}
  </div>
</section>
