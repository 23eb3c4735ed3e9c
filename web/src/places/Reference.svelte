<script lang="ts">
  import { copy } from '$lib/csv'
  import { market } from '$lib/market.svelte'
  import { tell } from '$lib/notice.svelte'
  import { ask, query } from '$lib/queries'
  import { finder } from './find'

  const { name }: { name: string } = $props()
  let wanted = $derived(name)
  let box: HTMLInputElement | undefined = $state()

  $effect(() => box?.focus())

  const word = $derived(wanted.trim().toLowerCase())
  const catalogue = query(() => ask.catalogue())
  /** What a book knows of a position. */
  const positions = query(() => ask.positionNames())
  const ofPositions = $derived(
    (positions.data ?? []).filter(({ name, help }) => speaks(`${name} ${help} position book`)),
  )
  const speaks = $derived(finder(word, catalogue.data?.alike ?? []))
  /** The parts of each pattern, by its name; and how many patterns tell the same of a part, which then goes without saying. */
  const parts = $derived.by(() => {
    const found: Record<string, typeof market.entries> = {}
    for (const entry of market.entries)
      if (entry.name.includes('.')) (found[entry.name.split('.')[0]!] ??= []).push(entry)
    return found
  })
  const shared = $derived.by(() => {
    const [first, ...others] = Object.values(parts)
    const told = (list: typeof market.entries = []) => list.map((e) => `${partOf(e.name)} ${e.help}`)
    const rest = others.map((list) => new Set(told(list)))
    return new Set(told(first).filter((text) => rest.every((list) => list.has(text))))
  })

  function partOf(whole: string): string {
    return whole.slice(whole.indexOf('.') + 1)
  }

  const families = $derived.by(() => {
    const found: Record<string, typeof market.entries> = {}
    for (const entry of market.entries) {
      if (entry.name.includes('.')) continue
      const own = (parts[entry.name] ?? []).map((e) => `${e.name} ${e.help}`).join(' ')
      if (speaks(`${entry.name} ${entry.help} ${entry.family} ${own}`))
        (found[entry.family] ??= []).push(entry)
    }
    for (const list of Object.values(found))
      list.sort((a, b) => Number(b.name === word) - Number(a.name === word) || a.name.localeCompare(b.name))
    return Object.entries(found).sort(
      (a, b) => Number(b[1].some((e) => e.name === word)) - Number(a[1].some((e) => e.name === word)),
    )
  })
  const ideas = $derived(
    [...(catalogue.data?.ideas ?? []), ...(catalogue.data?.forms ?? [])].filter(({ said, line }) =>
      speaks(`${said} ${line}`),
    ),
  )

  async function take(line: string): Promise<void> {
    tell((await copy(line)) ? 'The line is copied.' : 'The browser does not let this page use the clipboard.')
  }
</script>

<section class="h-full overflow-auto" aria-labelledby="reference-title">
  <div class="mx-auto max-w-[1100px] px-6 py-5">
    <div class="flex items-baseline gap-4">
      <h1 id="reference-title" class="font-title text-[26px]">Reference</h1>
      <span class="text-ink3">{market.entries.filter((e) => !e.name.includes('.')).length} names</span>
      <input
        bind:this={box}
        class="field ml-auto w-72"
        type="search"
        placeholder="A name, or what it is about"
        aria-label="Search the reference"
        bind:value={wanted}
      />
    </div>
    {#if ideas.length}
      <h2 class="mt-6 font-title text-[19px]">How do I say …</h2>
      <ul class="mt-1 grid grid-cols-1 gap-x-10 md:grid-cols-2">
        {#each ideas as { said, line } (said)}
          <li class="border-t border-hair py-1.5 text-[14px]">
            {said}
            <button
              class="mt-0.5 block text-left font-mono text-[13px] text-ink2 hover:text-ember"
              title="Copy the line"
              onclick={() => take(line)}>{line}</button
            >
          </li>
        {/each}
      </ul>
    {/if}
    {#each families as [family, entries] (family)}
      <h2 class="mt-6 font-title text-[19px]">{family[0]!.toUpperCase() + family.slice(1)}</h2>
      <dl class="mt-1">
        {#each entries as entry (entry.name)}
          <div class="grid grid-cols-[minmax(200px,300px)_1fr] gap-x-6 border-t border-hair py-2">
            <dt class="font-mono text-[13px] font-semibold break-words">{entry.signature}</dt>
            <dd class="text-[14px]">
              {entry.help}
              {#if entry.formula && entry.formula !== entry.name}
                <span class="mt-0.5 block font-mono text-[12.5px] break-words text-ink2">{entry.formula}</span
                >
              {/if}
              {#if parts[entry.name]}
                <span class="mt-1 block text-[13px] text-ink2">
                  {#each parts[entry.name]!.filter((e) => !shared.has(`${partOf(e.name)} ${e.help}`)) as part (part.name)}
                    <span class="block"
                      ><span class="font-mono text-[12.5px]">.{partOf(part.name)}</span>
                      {part.help}</span
                    >
                  {/each}
                  <span class="block text-ink3"
                    >and as every pattern:
                    {#each parts[entry.name]!.filter( (e) => shared.has(`${partOf(e.name)} ${e.help}`) ) as part, i (part.name)}{i
                        ? ', '
                        : ''}<span class="font-mono text-[12.5px]" title={part.help}
                        >.{partOf(part.name)}</span
                      >{/each}</span
                  >
                </span>
              {/if}
              <span class="mt-0.5 block text-[13px] text-ink3">
                <button
                  class="font-mono hover:text-ember"
                  title="Copy the line"
                  onclick={() => take(entry.example)}>{entry.example}</button
                >
                {#if entry.warm_up !== 'never'}
                  · unknown {entry.warm_up.startsWith('until') ? '' : 'for '}{entry.warm_up}{/if}
                {#if entry.source !== 'common practice'}
                  · {entry.source}{/if}
              </span>
            </dd>
          </div>
        {/each}
      </dl>
    {/each}
    {#if ofPositions.length}
      <h2 class="mt-6 font-title text-[19px]">Of a position, in books</h2>
      <dl class="mt-1">
        {#each ofPositions as position (position.name)}
          <div class="grid grid-cols-[minmax(200px,300px)_1fr] gap-x-6 border-t border-hair py-2">
            <dt class="font-mono text-[13px] font-semibold">{position.name}</dt>
            <dd class="text-[14px]">
              {position.help}
              <span class="mt-0.5 block text-[13px] text-ink3">
                <button
                  class="font-mono hover:text-ember"
                  title="Copy the line"
                  onclick={() => take(position.example)}>{position.example}</button
                >
                · in {position.where.join(', ')}
              </span>
            </dd>
          </div>
        {/each}
      </dl>
    {/if}
    {#if !ideas.length && !families.length && !ofPositions.length}
      <p class="mt-8 text-ink2">Nothing speaks of “{wanted}”.</p>
    {/if}
  </div>
</section>
