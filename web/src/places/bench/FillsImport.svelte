<script lang="ts">
  /** Fills from a broker's file: read, questions answered, shown row by row, taken; undone together. */
  import { sentence, type Schemas } from '$lib/api'
  import { attempt, once, undoable } from '$lib/mutation'
  import FileColumns from '$lib/FileColumns.svelte'
  import FileQuestions from '$lib/FileQuestions.svelte'
  import { day, price, when, whole } from '$lib/format'
  import { bench } from '$lib/desk'
  import { ask, query } from '$lib/queries'

  const { onclose }: { onclose: () => void } = $props()
  type Said = Schemas['AnswersIn']
  const ABOUT = ['bench', 'alerts']
  const KNOWN = ['symbol', 'day', 'action', 'shares', 'price', 'cost', 'reference'].map((name) => ({ name }))
  const before = query(() => ask.fillImports())
  let file = $state.raw<File | null>(null)
  let answers = $state.raw<Partial<Said>>({})
  let shorts = $state(false)
  let skipBad = $state(false)
  let look = $state.raw<Schemas['FillsReadOut'] | null>(null)
  let trouble = $state('')
  let reading = $state(false)
  let input: HTMLInputElement | undefined = $state()
  let turn = 0
  const bad = $derived(
    (look?.rows.filter((row) => row.state === 'bad').length ?? 0) + (look?.bad.length ?? 0),
  )
  const ready = $derived(look !== null && !look.questions.length && look.new > 0 && (!bad || skipBad))
  const STATE = { new: 'new', known: 'taken before', bad: '' } as const

  async function read(): Promise<void> {
    const [mine, now] = [++turn, file]
    if (!now) return
    reading = true
    try {
      const found = await bench.importFills(now, { answers, take: false, shorts, skip_bad: false })
      if (mine !== turn) return
      look = found
      trouble = ''
    } catch (error) {
      if (mine !== turn) return
      look = null
      trouble = sentence(error)
    } finally {
      if (mine === turn) reading = false
    }
  }
  function choose(files: FileList | null | undefined): void {
    const one = files?.[0]
    if (!one) return
    file = one
    answers = {}
    shorts = skipBad = false
    void read()
    if (input) input.value = ''
  }
  function say(more: Partial<Said>): void {
    answers = { ...answers, ...more }
    void read()
  }
  const take = once(async () => {
    const now = file
    if (!now) return
    await attempt(ABOUT, async () => {
      const found = await bench.importFills(now, { answers, take: true, shorts, skip_bad: skipBad })
      file = look = null
      if (found.made !== null)
        undoable(`${whole(found.new)} fill${found.new === 1 ? '' : 's'} imported.`, ABOUT, () =>
          bench.undoFills(found.made!),
        )
    })
  })
</script>

<section
  class="overflow-auto px-5 py-4 text-[13px]"
  aria-label="Import fills"
  data-state={reading ? 'counting' : 'counted'}
>
  <div class="flex flex-wrap items-baseline gap-x-4 gap-y-1">
    <h2 class="font-title text-[20px]">Import fills</h2>
    <button class={file ? 'quiet' : 'act'} onclick={() => input?.click()}>Choose a file</button>
    <input
      bind:this={input}
      type="file"
      class="sr-only"
      tabindex="-1"
      aria-label="File of fills"
      accept=".csv,.txt,.tsv,.parquet"
      onchange={() => choose(input?.files)}
    />
    <span class="text-ink2"
      >of your broker’s executions. Nothing is taken before you have seen it; none is taken twice.</span
    >
    <button class="link ml-auto" onclick={onclose}>Close</button>
  </div>
  {#if trouble}<p role="alert" class="mt-2 text-loss">{trouble}</p>{/if}
  {#if look}
    <p class="mt-3">
      <b class="font-semibold break-all">{look.name}</b>{look.dates
        ? `, dates are written ${look.dates}`
        : ''}{look.decimal === 'comma' ? ', decimals with a comma' : ''}{look.vendor
        ? `; read as “${look.vendor}” was before`
        : ''}.
    </p>
    <FileQuestions
      name={look.name}
      questions={look.questions}
      columns={look.columns}
      said={answers as Said}
      onsay={say}
    />
    <details open={look.questions.length > 0}>
      <summary class="link mt-1 inline-block cursor-pointer">Its columns</summary>
      <FileColumns
        columns={look.columns}
        first={look.first}
        known={KNOWN}
        said={answers as Said}
        onsay={say}
      />
    </details>
    {#each look.bad as line, i (i)}<p class="mt-1 text-loss">{line}</p>{/each}
    {#if look.rows.length}
      <table class="mt-3" aria-label="Fills of the file">
        <thead>
          <tr class="border-b border-hair text-left text-ink2">
            <th class="pr-5 font-semibold">day</th>
            <th class="pr-5 font-semibold">symbol</th>
            <th class="pr-5 font-semibold">what</th>
            <th class="pr-5 text-right font-semibold">shares</th>
            <th class="pr-5 text-right font-semibold">price</th>
            <th class="pr-5 text-right font-semibold">costs</th>
            <th class="font-semibold">state</th>
          </tr>
        </thead>
        <tbody>
          {#each look.rows as row (row.number)}
            <tr class="border-b border-hair/60 {row.state === 'known' ? 'text-ink3' : ''}">
              <td class="pr-5">{day(row.day)}</td>
              <td class="pr-5 font-mono">{row.symbol}</td>
              <td class="pr-5">{row.action}</td>
              <td class="num pr-5">{whole(row.shares)}</td>
              <td class="num pr-5">{price(row.price)}</td>
              <td class="num pr-5">{price(row.cost)}</td>
              <td class={row.state !== 'known' && row.why ? 'text-loss' : ''}
                >{row.state === 'new' && row.why ? `new; ${row.why}` : row.why || STATE[row.state]}</td
              >
            </tr>
          {/each}
        </tbody>
      </table>
    {/if}
    <div class="mt-3 flex flex-wrap items-baseline gap-4">
      <label
        ><input type="checkbox" class="tick" bind:checked={shorts} onchange={() => void read()} /> sales of what
        was not held are short sales</label
      >
      {#if bad}<label
          ><input type="checkbox" class="tick" bind:checked={skipBad} /> leave out the {whole(bad)} that cannot
          be taken</label
        >{/if}
      <button class="act" disabled={!ready || reading} onclick={take}
        >Import {whole(look.new)} fill{look.new === 1 ? '' : 's'}</button
      >
      <button
        class="link"
        onclick={() => {
          turn++
          file = look = null
        }}>Cancel import</button
      >
    </div>
  {/if}
  {#if before.data?.length}
    <h3 class="mt-6 text-[14px] font-semibold">Imported before</h3>
    <ul>
      {#each before.data as one (one.id)}
        <li class="flex gap-4 border-t border-hair/60 py-1">
          <span class="text-ink3">{when(one.at)}</span>
          <span class="min-w-0 flex-1 break-all"
            >{one.name}: {whole(one.fills)} fill{one.fills === 1 ? '' : 's'}</span
          >
          <button
            class="link"
            aria-label="Undo the import of {one.name}"
            onclick={() => void attempt(ABOUT, () => bench.undoFills(one.id))}>Undo</button
          >
        </li>
      {/each}
    </ul>
  {/if}
</section>
