<script lang="ts">
  /** Files in: chosen or dropped, looked at, questions answered, counted, and taken. */
  import { onDestroy } from 'svelte'
  import { data, sentence, type DataJob, type DataThere, type FilesIn, type Schemas } from '$lib/api'
  import { whole } from '$lib/format'
  import { attempt } from '$lib/mutation'
  import { tell } from '$lib/notice.svelte'
  import Progress from '$lib/Progress.svelte'
  import { forget } from '$lib/queries'
  import { Watched } from '$lib/watched.svelte'
  import Changes from './Changes.svelte'
  import FileLook from './FileLook.svelte'

  const {
    tables,
    universes,
    first,
    waiting,
  }: {
    tables: DataThere['tables']
    universes: string[]
    first: boolean
    /** Files of the drop folder that wait for an answer. */
    waiting: string[]
  } = $props()
  const NOTHING: Schemas['AnswersIn'] = {
    table: '',
    dates: '',
    decimal: '',
    zone: '',
    columns: {},
    confirmed: '',
    suffix: '',
    names: '',
    adjusted: '',
    fact: '',
    checked: '',
  }
  let asked = $state<FilesIn | null>(null)
  let sending = $state(false)
  let refused = $state('')
  let over = $state(false)
  let input: HTMLInputElement | undefined = $state()

  const looking = new Watched<DataJob>('data', data.job, { stop: data.stop, again: () => data.look(asked!) })
  const taking = new Watched<DataJob>('data', data.job, { stop: data.stop, again: () => data.take(asked!) })
  onDestroy(() => {
    looking.leave()
    taking.leave()
  })
  const look = $derived(asked && !looking.busy ? (looking.result?.look ?? null) : null)
  const questions = $derived(look?.files.reduce((n, file) => n + file.questions.length, 0) ?? 0)
  const ready = $derived(
    look !== null &&
      questions === 0 &&
      (look.bad_rows === 0 || asked?.skip_bad) &&
      Object.keys(look.tables).length > 0,
  )
  const touched = $derived(Object.values(look?.tables ?? {}).reduce((n, of) => n + of.added + of.replaced, 0))

  async function choose(files: FileList | null | undefined): Promise<void> {
    if (files?.length) await open(() => data.upload(files))
  }
  async function open(send: () => Promise<{ upload: string }>): Promise<void> {
    refused = ''
    sending = true
    putAway()
    try {
      const sent = await send()
      asked = {
        upload: sent.upload,
        answers: {},
        remember: true,
        skip_bad: false,
        any_date: false,
        universe: '',
      }
      await again()
    } catch (error) {
      refused = sentence(error)
    } finally {
      sending = false
      if (input) input.value = ''
    }
  }
  async function again(): Promise<void> {
    const question = asked
    if (question) await looking.start(() => data.look($state.snapshot(question)))
  }
  function putAway(): void {
    if (asked) void data.forget(asked.upload).catch(() => undefined)
    asked = null
    looking.result = null
    looking.run = null
  }
  async function take(): Promise<void> {
    const question = asked
    if (!question) return
    if (await taking.start(() => data.take($state.snapshot(question)))) {
      const said = taking.run?.headline ?? ''
      asked = null
      tell(`Imported: ${said}`)
      await forget('data', 'market', 'bars', 'alerts')
    }
  }
  /** What was said of a file; then it is looked at again. */
  function say(name: string, more: Partial<Schemas['AnswersIn']>): void {
    if (!asked) return
    const before = asked.answers?.[name] ?? NOTHING
    asked = { ...asked, answers: { ...asked.answers, [name]: { ...before, ...more } } }
    void again()
  }
</script>

<section
  class="mt-5 border-t border-hair pt-3"
  aria-label="Import data"
  ondragover={(event) => {
    event.preventDefault()
    over = true
  }}
  ondragleave={() => (over = false)}
  ondrop={(event) => {
    event.preventDefault()
    over = false
    void choose(event.dataTransfer?.files)
  }}
>
  <div class="flex flex-wrap items-baseline gap-x-5 gap-y-2">
    <h2 class="font-title text-[19px]">Import data</h2>
    <button
      class={first && !asked ? 'act' : 'quiet'}
      disabled={sending || taking.busy}
      onclick={() => input?.click()}>Choose files</button
    >
    <input
      bind:this={input}
      type="file"
      multiple
      class="sr-only"
      tabindex="-1"
      aria-label="Files to bring in"
      accept=".csv,.txt,.tsv,.parquet,.pq,.arrow,.feather,.ipc,.zip"
      onchange={() => choose(input?.files)}
    />
    <span class="text-[13px]" class:text-ember={over} class:text-ink2={!over}
      >{over
        ? 'Let go, and they are looked at'
        : 'or drop them here: CSV, Parquet, Arrow, or a zip. Nothing is taken before you have seen it.'}</span
    >
  </div>
  <details class="mt-2 text-[13px]">
    <summary class="text-ink2">What can be imported, and its columns</summary>
    <dl class="mt-1 grid gap-x-8 gap-y-2 min-[900px]:grid-cols-2">
      {#each tables as table (table.name)}
        <div>
          <dt class="font-semibold">
            {table.title} <span class="font-normal text-ink2">{table.about}</span>
          </dt>
          <dd>
            {#each table.columns as column, i (column.name)}{i ? ', ' : ''}<span
                title={column.about}
                class:text-ink3={!column.needed}>{column.name}</span
              >{/each}
          </dd>
        </div>
      {/each}
    </dl>
    <p class="mt-2 text-ink3">Those in grey may be left out. Point at one to see what it is.</p>
  </details>
  {#if waiting.length && !asked}
    <p class="mt-3 border-l-2 border-ember pl-4 text-[13px]">
      <span class="text-ember"
        >{waiting.length === 1 ? 'A file waits' : `${whole(waiting.length)} files wait`} for an answer:</span
      >
      {waiting.slice(0, 3).join(', ')}{waiting.length > 3 ? ` and ${waiting.length - 3} more` : ''}.
      <button class="act ml-3" disabled={sending || taking.busy} onclick={() => open(data.openAsked)}
        >Answer</button
      >
      <button
        class="link ml-3"
        onclick={() => void attempt(['data', 'alerts'], async () => void (await data.discardAsked()))}
        >Refuse {waiting.length === 1 ? 'it' : 'them'}</button
      >
    </p>
  {/if}
  {#if refused}<p role="alert" class="mt-2 text-loss">{refused}</p>{/if}
  {#if sending}<p class="mt-2 text-[13px] text-ink2" role="status">Sending the files …</p>{/if}
  {#if asked}
    <div class="mt-3"><Progress watched={looking} onagain={again} /></div>
    {#if look}
      {#each look.files as file, i (i)}
        <FileLook {file} {tables} said={asked.answers?.[file.name]} onsay={(more) => say(file.name, more)} />
      {/each}
      {#if look.outside}<p class="mt-2 text-[13px] text-loss">{look.outside}</p>{/if}
      {#if look.bad_rows}
        <div class="mt-3 text-[13px]">
          <p class="text-loss">{whole(look.bad_rows)} row{look.bad_rows === 1 ? '' : 's'} cannot be taken:</p>
          <ul class="mt-1 max-h-40 overflow-auto text-ink2">
            {#each look.bad as row, i (i)}<li>{row}</li>{/each}
          </ul>
          <label class="mt-1 block"
            ><input type="checkbox" class="tick" bind:checked={asked.skip_bad} /> leave them out, and take the rest</label
          >
          {#if look.bad.some((row) => row.includes('--any-date'))}
            <label class="block"
              ><input
                type="checkbox"
                class="tick"
                checked={asked.any_date}
                onchange={(event) => {
                  asked!.any_date = event.currentTarget.checked
                  void again()
                }}
              /> those dates are meant</label
            >
          {/if}
        </div>
      {/if}
      {#if questions === 0}
        <div class="mt-3">
          <Changes tables={look.tables} changes={look.changes} notes={look.notes} />
        </div>
      {/if}
      <div class="mt-3 flex flex-wrap items-baseline gap-4 text-[13px]">
        {#if look.symbols}
          <label
            >the {whole(look.symbols)} symbol{look.symbols === 1 ? '' : 's'} also become members of
            <input
              class="field w-44"
              list="universes"
              placeholder="no universe"
              maxlength="80"
              bind:value={asked.universe}
            /></label
          >
          <datalist id="universes"
            >{#each universes as name (name)}<option value={name}></option>{/each}</datalist
          >
        {/if}
        <label
          ><input type="checkbox" class="tick" bind:checked={asked.remember} /> remember how these files are read</label
        >
        <button class="act" disabled={!ready || taking.busy} onclick={take}
          >{touched ? `Import ${whole(touched)} row${touched === 1 ? '' : 's'}` : 'Import'}</button
        >
        <button class="link" disabled={taking.busy} onclick={putAway}>Cancel import</button>
        {#if questions}<span class="text-ink2"
            >Answer the question{questions === 1 ? '' : 's'} above first.</span
          >{/if}
      </div>
      <div class="mt-2"><Progress watched={taking} onagain={take} /></div>
    {/if}
  {/if}
</section>
