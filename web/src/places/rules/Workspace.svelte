<script lang="ts">
  import { untrack } from 'svelte'
  import { MediaQuery } from 'svelte/reactivity'
  import { Tabs } from 'bits-ui'
  import { commandIn } from '$lib/commands'
  import { market, standOn } from '$lib/market.svelte'
  import { choose, preferences } from '$lib/preferences.svelte'
  import { go } from '$lib/router.svelte'
  import { lazily } from '$lib/lazily'
  import { offsetOf, turnDial } from '$lib/rule/headers'
  import NarrowSwitch from '$lib/ui/NarrowSwitch.svelte'
  import { Counts } from './counts.svelte'
  import Divider from './Divider.svelte'
  import { expressions, ofRule } from './hits.svelte'
  import Hits from './Hits.svelte'
  import { OpenRule } from './open.svelte'
  import RulePane from './RulePane.svelte'

  const TABS = [
    ['hits', 'Hits'],
    ['sheet', 'Sheet'],
    ['follow-through', 'Follow-through'],
    ['book', 'Book'],
    ['versions', 'Versions'],
  ] as const
  // A tab is fetched when it is first opened.
  const sheet = lazily(() => import('./Sheet.svelte'))
  const versions = lazily(() => import('./Versions.svelte'))
  const inBooks = lazily(() => import('./InBooks.svelte'))
  const followThrough = lazily(() => import('./FollowThrough.svelte'))
  const { id, tab }: { id: number; tab: string } = $props()

  const open = new OpenRule(untrack(() => id))
  // As text, so that an order or a width that changes asks for nothing anew.
  const columns = $derived(JSON.stringify(expressions()))
  const counts = new Counts(() =>
    open.saved ? { text: open.text, as_of: market.asOf, columns: JSON.parse(columns) as string[] } : null,
  )
  $effect(() => {
    if (open.saved) ofRule(open.saved)
  })
  let measure = $state(0)
  let chosen = $state<string | null>(null)
  /** A symbol looked at that need not be among the hits: a near miss, or one that has left the list. */
  let looked = $state<string | null>(null)
  let full = $state(false)
  const alone = $derived(full && tab === 'hits' && chosen !== null)
  const NARROW = 340
  let width = $state(preferences.now.layout?.rule_width ?? 520)
  // One pane at a time where there is no room for two.
  const narrow = new MediaQuery('max-width: 999px')
  let writing = $state(false)
  $effect(() => {
    if (open.saved && !untrack(() => open.body.trim())) writing = true
  })
  $effect(() => {
    void tab
    if (untrack(() => open.saved && open.body.trim())) writing = false
  })
  const wide = (to: number) => (width = Math.min(Math.max(to, NARROW), window.innerWidth - 480))

  function keepWidth(): void {
    choose({ layout: { ...preferences.now.layout, rule_width: Math.round(width) } })
  }

  function look(symbol: string): void {
    looked = symbol
    chosen = symbol
    writing = false
    go(`/rules/${id}`)
  }

  function startMeasure(): void {
    go(`/rules/${id}/follow-through`)
    writing = false
    measure += 1
  }

  function keydown(event: KeyboardEvent): void {
    const command = commandIn(event, 'rule')
    if (command !== 'rule.save' && command !== 'rule.measure') return
    event.preventDefault()
    event.stopPropagation()
    if (command === 'rule.save') void open.save()
    else startMeasure()
  }
</script>

<!-- Before whatever has the focus: a tab that was clicked takes Enter for itself, with Ctrl too. -->
<svelte:window
  onkeydowncapture={keydown}
  onbeforeunload={(event) => open.dirty && !open.kept && event.preventDefault()}
/>

{#if open.failed}
  <div class="p-12">
    <p role="alert" class="text-loss">{open.failed}</p>
    <button class="quiet mt-4" onclick={() => go('/rules')}>All rules</button>
  </div>
{:else if !open.saved}
  <p class="p-12 text-ink2">Opening the rule …</p>
{:else}
  <div
    class="flex h-full {narrow.current ? 'flex-col' : ''}"
    data-counts={counts.state(open.text)}
    data-characters={open.text.length}
  >
    {#if narrow.current}
      <NarrowSwitch
        bind:writing
        text="The rule"
        results={counts.scan ? `Results: ${counts.scan.hits_total}` : 'Results'}
      />
    {/if}
    <div
      class="min-w-0 {narrow.current ? 'min-h-0 flex-1' : 'shrink-0'}"
      class:hidden={narrow.current ? !writing : alone}
      style:width={narrow.current ? undefined : `${width}px`}
    >
      <RulePane {open} {counts} {chosen} onmeasure={startMeasure} onlook={look} />
    </div>
    <Divider
      label="Width of the rule's pane"
      orientation="vertical"
      value={width}
      hidden={alone || narrow.current}
      ondrag={wide}
      onnudge={(by) => {
        wide(width + by * 20)
        keepWidth()
      }}
      onend={keepWidth}
    />
    <Tabs.Root
      value={tab}
      onValueChange={(next) => go(next === 'hits' ? `/rules/${id}` : `/rules/${id}/${next}`)}
      class="min-h-0 min-w-0 flex-1 flex-col {narrow.current && writing ? 'hidden' : 'flex'}"
    >
      <Tabs.List class="flex min-h-[43px] shrink-0 flex-wrap items-stretch gap-x-6 border-b border-hair px-4">
        {#each TABS as [value, label] (value)}
          <Tabs.Trigger {value} class="tab">
            {label}
            {#if value === 'hits' && counts.scan}<span
                class:waits={counts.counting}
                aria-busy={counts.counting}
                title={counts.without.length ? 'without the lines that have errors' : undefined}
                >{counts.scan.hits_total}</span
              >{/if}
          </Tabs.Trigger>
        {/each}
        <div id="tab-actions" class="ml-auto flex items-center gap-5 text-[13px]"></div>
      </Tabs.List>
      <Tabs.Content value="hits" class="min-h-0 flex-1">
        {#if tab === 'hits'}
          <Hits
            {counts}
            name={open.saved.name}
            rule={{
              id: open.saved.id,
              name: open.saved.name,
              version: open.dirty ? null : open.saved.version,
            }}
            bind:chosen
            bind:looked
            bind:full
          />
        {/if}
      </Tabs.Content>
      <Tabs.Content value="sheet" class="min-h-0 flex-1">
        {#if tab === 'sheet'}
          {#await sheet() then { default: Sheet }}
            <Sheet
              {counts}
              rule={id}
              name={open.saved.name}
              onopen={(symbol) => {
                chosen = symbol
                full = true
                go(`/rules/${id}`)
              }}
            />
          {/await}
        {/if}
      </Tabs.Content>
      <Tabs.Content value="versions" class="min-h-0 flex-1">
        {#if tab === 'versions'}
          {#await versions() then { default: Versions }}
            <Versions rule={open.saved} dirty={open.dirty} onrestored={open.take} />
          {/await}
        {/if}
      </Tabs.Content>
      <Tabs.Content value="book" class="min-h-0 flex-1">
        {#if tab === 'book'}
          {#await inBooks() then { default: InBooks }}
            <InBooks rule={open.saved} dirty={open.dirty} />
          {/await}
        {/if}
      </Tabs.Content>
      <Tabs.Content value="follow-through" class="relative min-h-0 flex-1">
        {#if tab === 'follow-through'}
          {#await followThrough() then { default: FollowThrough }}
            <FollowThrough
              rule={open.saved}
              text={open.text}
              {measure}
              broken={counts.errors.length > 0}
              counting={counts.counting}
              dials={counts.scan?.dials ?? []}
              onset={(values) =>
                (open.body = values.reduce((now, v) => turnDial(now, v.name, v.value, v.percent), open.body))}
              offset={offsetOf(open.headers)}
              onevent={(symbol, day) => {
                standOn(day)
                look(symbol)
              }}
              onday={(day) => {
                standOn(day)
                go(`/rules/${id}`)
              }}
            />
          {/await}
        {/if}
      </Tabs.Content>
    </Tabs.Root>
  </div>
{/if}
