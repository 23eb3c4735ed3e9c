<script lang="ts">
  import { api, sentence, type RuleSummary } from '$lib/api'
  import { day } from '$lib/format'
  import { go } from '$lib/router.svelte'
  import { tell } from '$lib/notice.svelte'
  import { removeWithUndo } from './actions'

  let rules = $state<RuleSummary[] | null>(null)
  let failed = $state('')
  let wanted = $state('')
  const shown = $derived(
    (rules ?? []).filter((rule) =>
      `${rule.name} ${rule.about}`.toLowerCase().includes(wanted.trim().toLowerCase()),
    ),
  )

  async function load(): Promise<void> {
    failed = ''
    try {
      rules = await api.rules()
    } catch (error) {
      failed = sentence(error)
    }
  }
  load()

  async function attempt(work: () => Promise<unknown>): Promise<void> {
    try {
      await work()
      await load()
    } catch (error) {
      tell(sentence(error))
    }
  }

  async function write(): Promise<void> {
    try {
      const made = await api.create('', 'Untitled rule')
      go(`/rules/${made.id}`)
    } catch (error) {
      tell(sentence(error))
    }
  }

  async function bring(event: Event): Promise<void> {
    const input = event.currentTarget as HTMLInputElement
    await attempt(async () => {
      for (const file of input.files ?? []) await api.create(await file.text())
    })
    input.value = ''
  }
</script>

<section class="h-full overflow-auto">
  <div class="mx-auto max-w-[1100px] px-6 py-5">
    <div class="flex items-baseline gap-4">
      <h1 class="font-title text-[26px]">Rules</h1>
      <span class="text-ink3">{rules ? rules.length : ''}</span>
      <input
        class="field ml-auto w-56"
        type="search"
        placeholder="Find a rule"
        aria-label="Find a rule"
        bind:value={wanted}
      />
      <label class="quiet cursor-pointer focus-within:outline-2 focus-within:outline-ember">
        Open .rule files
        <input type="file" accept=".rule,.txt,text/plain" multiple class="sr-only" onchange={bring} />
      </label>
      <button class="act" onclick={write}>Write a rule</button>
    </div>
    {#if failed}
      <p role="alert" class="mt-8 text-loss">
        {failed} <button class="link" onclick={load}>Try again</button>
      </p>
    {:else if rules === null}
      <p class="mt-8 text-ink2">Loading the rules …</p>
    {:else if rules.length === 0}
      <p class="mt-8 text-ink2">
        No rules yet. Write one: a line such as <code class="font-mono">close &gt; sma(50)</code> is enough.
      </p>
    {:else if shown.length === 0}
      <p class="mt-8 text-ink2">No rule speaks of “{wanted}”.</p>
    {:else}
      <ul class="mt-4">
        {#each shown as rule (rule.id)}
          <li class="group grid grid-cols-[1fr_auto] gap-x-6 border-t border-hair py-2.5">
            <a
              href="/rules/{rule.id}"
              class="block"
              onclick={(event) => {
                event.preventDefault()
                go(`/rules/${rule.id}`)
              }}
            >
              <span class="font-title text-[18px] group-hover:text-ember">{rule.name}</span>
              {#if !rule.valid}<span class="ml-2 text-[13px] text-loss">has errors</span>{/if}
              <span class="mt-0.5 block max-w-[80ch] text-[14px] text-ink2">{rule.about}</span>
            </a>
            <div class="flex flex-col items-end justify-between text-[13px] text-ink3">
              <span
                >{rule.side} · {rule.bars} bars · v{rule.version} · saved {day(rule.saved.slice(0, 10))}</span
              >
              <span class="flex gap-4">
                <button
                  class="link"
                  onclick={() => attempt(() => api.duplicate(rule.id))}
                  aria-label="Duplicate {rule.name}">Duplicate</button
                >
                <button
                  class="link"
                  onclick={() => attempt(() => removeWithUndo(rule, load))}
                  aria-label="Delete {rule.name}">Delete</button
                >
              </span>
            </div>
          </li>
        {/each}
      </ul>
    {/if}
  </div>
</section>
