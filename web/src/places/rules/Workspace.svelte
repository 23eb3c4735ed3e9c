<script lang="ts">
  import { untrack } from 'svelte'
  import { Tabs } from 'bits-ui'
  import { commandIn } from '$lib/commands'
  import { api, Problem, sentence, type RuleDetail, type RuleProblem, type Scan } from '$lib/api'
  import { market, standOn } from '$lib/market.svelte'
  import { go } from '$lib/router.svelte'
  import { lazily } from '$lib/lazily'
  import { tell } from '$lib/notice.svelte'
  import { join, offsetOf, split, turnDial, type Header, type HeaderValues } from '$lib/rule/headers'
  import { expressions } from './hits.svelte'
  import Hits from './Hits.svelte'
  import RulePane from './RulePane.svelte'

  const TABS = [
    ['hits', 'Hits'],
    ['sheet', 'Sheet'],
    ['follow-through', 'Follow-through'],
    ['versions', 'Versions'],
  ] as const
  // A tab is fetched when it is first opened.
  const sheet = lazily(() => import('./Sheet.svelte'))
  const versions = lazily(() => import('./Versions.svelte'))
  const followThrough = lazily(() => import('./FollowThrough.svelte'))
  const { id, tab }: { id: number; tab: string } = $props()
  const DRAFT = untrack(() => `upperwick-draft-${id}`)

  let rule = $state<RuleDetail | null>(null)
  let failed = $state('')
  let headers = $state<HeaderValues>({})
  let body = $state('')
  let scan = $state.raw<Scan | null>(null)
  /** The text that was counted last: hits and charts are of one and the same rule, and wait for its counts. */
  let counted = $state('')
  let errors = $state.raw<RuleProblem[]>([])
  let trouble = $state('')
  let counting = $state(false)
  let measure = $state(0)
  let chosen = $state<string | null>(null)
  /** A symbol looked at that need not be among the hits: a near miss, or one that has left the list. */
  let looked = $state<string | null>(null)
  let full = $state(false)
  const alone = $derived(full && tab === 'hits' && chosen !== null)
  let width = $state(Number(localStorage.getItem('upperwick-rule-width')) || 520)

  const text = $derived(join(headers, body))
  // As text, so that an order or a width that changes asks for nothing anew.
  const columns = $derived(JSON.stringify(expressions()))
  /** What the numbers on the page are: of the text as it stands, or still of the one before. */
  const counts = $derived(
    counting ? 'counting' : errors.length || trouble ? 'to mend' : counted === text ? 'counted' : 'counting',
  )
  const dirty = $derived(rule !== null && text !== rule.text)

  function take(found: RuleDetail): void {
    const parts = split(found.text)
    rule = found
    headers = parts.headers
    body = parts.body
    // What is compared with the editor is the text as the editor would write it.
    rule.text = join(parts.headers, parts.body)
  }

  api
    .rule(untrack(() => id))
    .then((found) => {
      take(found)
      const draft = localStorage.getItem(DRAFT)
      if (draft !== null && draft !== rule?.text) {
        const parts = split(draft)
        headers = parts.headers
        body = parts.body
        tell('Unsaved changes from before are kept.', { label: 'Drop them', run: revert })
      }
    })
    .catch((error) => (failed = sentence(error)))

  $effect(() => {
    if (!rule) return
    if (dirty) localStorage.setItem(DRAFT, text)
    else localStorage.removeItem(DRAFT)
  })

  interface Ask {
    text: string
    as_of: string | null
    columns: string[]
  }
  // One question at a time: the next goes out as soon as the answer is here, and always with the latest text. One that takes long is
  // given up for it.
  const PATIENCE = 250
  let request: AbortController | undefined
  let begun = 0
  let waiting: Ask | null = null
  $effect(() => {
    // A list that has changed is another universe under the same name.
    void market.lists
    const asked = { text, as_of: market.asOf, columns: JSON.parse(columns) as string[] }
    if (rule) untrack(() => ask(asked))
  })

  function ask(asked: Ask): void {
    if (!request || performance.now() - begun > PATIENCE) void count(asked)
    else {
      waiting = asked
      setTimeout(() => {
        if (waiting === asked) void count(asked)
      }, PATIENCE)
    }
  }

  async function count(asked: Ask): Promise<void> {
    request?.abort()
    const mine = (request = new AbortController())
    begun = performance.now()
    waiting = null
    counting = true
    try {
      scan = await api.scan(asked, mine.signal)
      counted = asked.text
      errors = []
      trouble = ''
    } catch (error) {
      if (mine.signal.aborted) return
      errors = error instanceof Problem ? error.errors : []
      trouble = errors.length ? '' : sentence(error)
    } finally {
      if (request === mine) {
        request = undefined
        counting = false
        if (waiting) void count(waiting)
      }
    }
  }

  async function save(): Promise<void> {
    if (!rule) return
    const sent = text
    try {
      const found = await api.save(id, sent)
      // What was typed while the answer was on its way stays, and is not saved yet.
      if (text === sent) take(found)
      else {
        const parts = split(found.text)
        rule = { ...found, text: join(parts.headers, parts.body) }
      }
      tell(`Saved as version ${found.version}.`)
    } catch (error) {
      tell(sentence(error))
    }
  }

  function revert(): void {
    if (!rule) return
    const parts = split(rule.text)
    headers = parts.headers
    body = parts.body
  }

  function set(key: Header, value: string): void {
    headers = { ...headers, [key]: value || undefined }
  }

  async function rename(name: string): Promise<void> {
    if (!rule || !name.trim() || name.trim() === rule.name) return
    const unsaved = dirty ? body : null
    // At once, so that a save on its heels keeps the new name too.
    set('name', name.trim())
    try {
      const found = await api.change(id, { name })
      take(found)
      if (unsaved !== null) body = unsaved
    } catch (error) {
      tell(sentence(error))
      set('name', rule.name)
    }
  }

  function startMeasure(): void {
    go(`/rules/${id}/follow-through`)
    measure += 1
  }

  function drag(event: PointerEvent): void {
    const handle = event.currentTarget as HTMLElement
    handle.setPointerCapture(event.pointerId)
    handle.onpointermove = (move) => {
      width = Math.min(Math.max(move.clientX, 340), window.innerWidth - 480)
    }
    handle.onpointerup = () => {
      handle.onpointermove = null
      localStorage.setItem('upperwick-rule-width', String(Math.round(width)))
    }
  }

  function keydown(event: KeyboardEvent): void {
    const command = commandIn(event, 'rule') // null where the editor has dealt with it
    if (command !== 'rule.save' && command !== 'rule.measure') return
    event.preventDefault()
    if (command === 'rule.save') void save()
    else startMeasure()
  }
</script>

<svelte:window onkeydown={keydown} onbeforeunload={(event) => dirty && event.preventDefault()} />

{#if failed}
  <div class="p-12">
    <p role="alert" class="text-loss">{failed}</p>
    <button class="quiet mt-4" onclick={() => go('/rules')}>All rules</button>
  </div>
{:else if !rule}
  <p class="p-12 text-ink2">Opening the rule …</p>
{:else}
  <div class="flex h-full" data-counts={counts} data-characters={text.length}>
    <div class="min-w-0 shrink-0" class:hidden={alone} style:width="{width}px">
      <RulePane
        {rule}
        {headers}
        {body}
        {scan}
        {errors}
        {trouble}
        {dirty}
        {text}
        {counting}
        onheader={set}
        onbody={(next) => (body = next)}
        onrename={rename}
        onsave={save}
        onrevert={revert}
        onmeasure={startMeasure}
        {chosen}
        onlook={(symbol) => {
          looked = symbol
          chosen = symbol
          go(`/rules/${id}`)
        }}
      />
    </div>
    <!-- svelte-ignore a11y_no_noninteractive_tabindex, a11y_no_noninteractive_element_interactions -->
    <div
      role="separator"
      aria-orientation="vertical"
      aria-label="Width of the rule's pane"
      aria-valuenow={Math.round(width)}
      tabindex="0"
      class:hidden={alone}
      class="w-[5px] shrink-0 cursor-col-resize border-l border-hair hover:border-ember focus-visible:border-ember"
      onpointerdown={drag}
      onkeydown={(event) => {
        if (event.key === 'ArrowLeft') width = Math.max(340, width - 20)
        if (event.key === 'ArrowRight') width = Math.min(window.innerWidth - 480, width + 20)
      }}
    ></div>
    <Tabs.Root
      value={tab}
      onValueChange={(next) => go(next === 'hits' ? `/rules/${id}` : `/rules/${id}/${next}`)}
      class="flex min-w-0 flex-1 flex-col"
    >
      <Tabs.List class="flex h-[43px] shrink-0 items-stretch gap-6 border-b border-hair px-4">
        {#each TABS as [value, label] (value)}
          <Tabs.Trigger
            {value}
            class="border-b-2 border-transparent pt-[2px] text-ink2 data-[state=active]:border-ember data-[state=active]:font-semibold data-[state=active]:text-ink"
          >
            {label}
            {#if value === 'hits' && scan}<span class:opacity-50={errors.length > 0}>{scan.hits_total}</span
              >{/if}
          </Tabs.Trigger>
        {/each}
        <div id="tab-actions" class="ml-auto flex items-center gap-5 text-[13px]"></div>
      </Tabs.List>
      <Tabs.Content value="hits" class="min-h-0 flex-1">
        {#if tab === 'hits'}
          <Hits
            {scan}
            text={counted}
            stale={errors.length > 0 || trouble !== ''}
            why={errors[0]?.message ?? trouble}
            name={rule.name}
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
              {scan}
              text={counted}
              stale={errors.length > 0 || trouble !== ''}
              rule={id}
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
            <Versions {rule} {dirty} onrestored={take} />
          {/await}
        {/if}
      </Tabs.Content>
      <Tabs.Content value="follow-through" class="relative min-h-0 flex-1">
        {#if tab === 'follow-through'}
          {#await followThrough() then { default: FollowThrough }}
            <FollowThrough
              {rule}
              {text}
              {measure}
              broken={errors.length > 0}
              dials={scan?.dials ?? []}
              onset={(values) =>
                (body = values.reduce((now, v) => turnDial(now, v.name, v.value, v.percent), body))}
              offset={offsetOf(headers)}
              onevent={(symbol, day) => {
                standOn(day)
                looked = symbol
                chosen = symbol
                go(`/rules/${id}`)
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
