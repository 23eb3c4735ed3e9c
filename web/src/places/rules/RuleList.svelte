<script lang="ts">
  import { api, sentence, type RuleSummary } from '$lib/api'
  import { attempt, once } from '$lib/mutation'
  import { commandIn } from '$lib/commands'
  import { download } from '$lib/csv'
  import { day } from '$lib/format'
  import { go } from '$lib/router.svelte'
  import { tell } from '$lib/notice.svelte'
  import { ask, forget, query } from '$lib/queries'
  import { removeWithUndo } from './actions'
  import Filing from './Filing.svelte'

  const listed = query(() => ask.rules())
  const rules = $derived(listed.data ?? null)
  const failed = $derived(listed.error ? sentence(listed.error) : '')
  let wanted = $state('')
  let folder = $state<string | null>(null)
  let tag = $state<string | null>(null)
  let side = $state('')
  let filing = $state<number | null>(null)

  const folders = $derived([...new Set((rules ?? []).map((rule) => rule.folder))].sort())
  const tags = $derived([...new Set((rules ?? []).flatMap((rule) => rule.tags))].sort())
  const shown = $derived(
    (rules ?? []).filter(
      (rule) =>
        (folder === null || rule.folder === folder) &&
        (tag === null || rule.tags.includes(tag)) &&
        (!side || rule.side === side) &&
        `${rule.name} ${rule.about} ${rule.folder} ${rule.tags.join(' ')}`
          .toLowerCase()
          .includes(wanted.trim().toLowerCase()),
    ),
  )

  // A folder or a tag that is gone chooses nothing.
  $effect(() => {
    if (!rules) return
    if (folder !== null && !rules.some((rule) => rule.folder === folder)) folder = null
    if (tag !== null && !rules.some((rule) => rule.tags.includes(tag!))) tag = null
  })

  function told(rule: RuleSummary): string {
    const parts = [
      folder === null ? rule.folder : '',
      ...rule.tags.map((name) => `#${name}`),
      rule.shared ? 'shared' : '',
    ]
    const saved = `saved ${day(rule.saved.slice(0, 10))}`
    return [...parts, rule.side, `${rule.bars} bars`, `v${rule.version}`, saved].filter(Boolean).join(' · ')
  }

  const write = once(() =>
    attempt(['rules'], async () => go(`/rules/${(await api.create('', 'Untitled rule')).id}`)),
  )

  async function bring(event: Event): Promise<void> {
    const input = event.currentTarget as HTMLInputElement
    await attempt(['rules'], async () => {
      const { added, problems } = await api.bringRules(input.files ?? [])
      tell([added.length ? `${added.length} rules brought in.` : '', ...problems].filter(Boolean).join(' '))
    })
    input.value = ''
  }

  let at = $state(0)
  const marked = $derived(Math.min(at, Math.max(0, shown.length - 1)))
  let find: HTMLInputElement | undefined = $state()
  let list: HTMLElement | undefined = $state()

  function keydown(event: KeyboardEvent): void {
    const command = commandIn(event, 'rules')
    if (command === 'rules.find') {
      event.preventDefault()
      find?.focus()
    } else if (command === 'rules.next' || command === 'rules.before') {
      const to = marked + (command === 'rules.next' ? 1 : -1)
      at = Math.max(0, Math.min(to, shown.length - 1))
      const link = list?.querySelectorAll<HTMLElement>('li > a')[at]
      link?.focus()
      link?.scrollIntoView({ block: 'nearest' })
    }
  }

  /** From the box straight into what was found. */
  function found(event: KeyboardEvent): void {
    if (event.key === 'Escape' && wanted) {
      event.preventDefault()
      wanted = ''
    } else if (event.key === 'Enter' && shown[0]) go(`/rules/${shown[0].id}`)
    else if (event.key === 'ArrowDown') {
      event.preventDefault()
      at = 0
      list?.querySelector<HTMLElement>('li > a')?.focus()
    }
  }

  async function zip(): Promise<void> {
    try {
      download('rules.zip', await api.rulesAsZip())
    } catch (error) {
      tell(sentence(error))
    }
  }
</script>

<svelte:window onkeydown={keydown} />

<section class="h-full overflow-auto">
  <div class="mx-auto max-w-[1100px] px-6 py-5">
    <div class="flex flex-wrap items-baseline gap-x-4 gap-y-2">
      <h1 class="font-title text-[26px]">Rules</h1>
      <span class="text-ink3">{rules ? rules.length : ''}</span>
      <input
        class="field ml-auto w-56"
        type="search"
        placeholder="Find a rule  /"
        aria-label="Find a rule"
        bind:this={find}
        bind:value={wanted}
        onkeydown={found}
      />
      <label class="quiet cursor-pointer focus-within:outline-2 focus-within:outline-ember">
        Import
        <input
          type="file"
          accept=".rule,.txt,.zip,text/plain,application/zip"
          aria-label="Import .rule files or a zip of them"
          multiple
          class="sr-only"
          onchange={bring}
        />
      </label>
      <button class="quiet" title="All rules as .rule files in one zip" onclick={zip}>Export all</button>
      <button class="act" onclick={write}>Write a rule</button>
    </div>
    {#if rules && (folders.length > 1 || tags.length)}
      <div class="mt-3 flex flex-wrap gap-x-4 gap-y-1 text-[13px]" role="group" aria-label="Which rules">
        {#if folders.length > 1}
          <button
            class={folder === null ? 'font-semibold' : 'link'}
            aria-pressed={folder === null}
            onclick={() => (folder = null)}>all folders</button
          >
          {#each folders as name (name)}
            <button
              class={folder === name ? 'font-semibold' : 'link'}
              aria-pressed={folder === name}
              onclick={() => (folder = name)}
              >{name || 'in no folder'}
              <span class="text-ink3">{rules.filter((rule) => rule.folder === name).length}</span></button
            >
          {/each}
          <span class="text-hair" aria-hidden="true">|</span>
        {/if}
        {#each tags as name (name)}
          <button
            class={tag === name ? 'font-semibold text-ember' : 'link'}
            aria-pressed={tag === name}
            onclick={() => (tag = tag === name ? null : name)}>#{name}</button
          >
        {/each}
        {#if tags.length}<span class="text-hair" aria-hidden="true">|</span>{/if}
        {#each ['long', 'short'] as name (name)}
          <button
            class={side === name ? 'font-semibold' : 'link'}
            aria-pressed={side === name}
            onclick={() => (side = side === name ? '' : name)}>{name}</button
          >
        {/each}
      </div>
    {/if}
    {#if failed}
      <p role="alert" class="mt-8 text-loss">
        {failed} <button class="link" onclick={() => listed.refetch()}>Try again</button>
      </p>
    {:else if rules === null}
      <p class="mt-8 text-ink2">Loading the rules …</p>
    {:else if rules.length === 0}
      <p class="mt-8 text-ink2">
        No rules yet. Write one: a line such as <code class="font-mono">close &gt; sma(50)</code> is enough.
      </p>
    {:else if shown.length === 0}
      <p class="mt-8 text-ink2">No rule {wanted ? `speaks of “${wanted}”` : 'is filed so'} here.</p>
    {:else}
      <ul class="mt-4" bind:this={list}>
        {#each shown as rule, i (rule.id)}
          <li
            class="group grid grid-cols-1 gap-x-6 min-[700px]:grid-cols-[1fr_auto] border-t border-hair py-2.5"
          >
            <a
              href="/rules/{rule.id}"
              class="block"
              onfocus={() => (at = i)}
              onclick={(event) => {
                event.preventDefault()
                go(`/rules/${rule.id}`)
              }}
            >
              <span class="font-title text-[18px] group-hover:text-ember">{rule.name}</span>
              {#if !rule.valid}<span class="ml-2 text-[13px] text-loss">has errors</span>{/if}
              <span class="mt-0.5 block max-w-[80ch] text-[14px] text-ink2">{rule.about}</span>
            </a>
            <div class="flex flex-col justify-between text-[13px] min-[700px]:items-end text-ink3">
              <span>{told(rule)}</span>
              <span class="flex gap-4">
                <button
                  class="link"
                  aria-expanded={filing === rule.id}
                  onclick={() => (filing = filing === rule.id ? null : rule.id)}
                  aria-label="File {rule.name}">File</button
                >
                <button
                  class="link"
                  onclick={() => attempt(['rules'], () => api.duplicate(rule.id))}
                  aria-label="Duplicate {rule.name}">Duplicate</button
                >
                <button class="link" onclick={() => removeWithUndo(rule)} aria-label="Delete {rule.name}"
                  >Delete</button
                >
              </span>
            </div>
            {#if filing === rule.id}
              <div class="col-span-full">
                <Filing
                  {rule}
                  {folders}
                  {tags}
                  ondone={() => {
                    filing = null
                    forget('rules')
                  }}
                />
              </div>
            {/if}
          </li>
        {/each}
      </ul>
    {/if}
  </div>
</section>
