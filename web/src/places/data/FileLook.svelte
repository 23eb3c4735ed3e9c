<script lang="ts">
  /** One file as it is understood: what it holds, what each column is taken as, its first rows, and what has to be asked. */
  import type { DataFile, DataThere, Schemas } from '$lib/api'
  import FileColumns from '$lib/FileColumns.svelte'
  import FileQuestions from '$lib/FileQuestions.svelte'
  import { whole } from '$lib/format'

  type Said = Schemas['AnswersIn']
  const {
    file,
    tables,
    said,
    onsay,
  }: { file: DataFile; tables: DataThere['tables']; said?: Said; onsay: (more: Partial<Said>) => void } =
    $props()
  const table = $derived(tables.find((one) => one.name === file.table))
  const left = $derived(file.columns.filter((one) => !one.name).map((one) => one.heading))
</script>

<article class="mt-4 border-l-2 border-hair pl-4" aria-label={file.name}>
  <p class="text-[13px]">
    <b class="font-semibold break-all">{file.name}</b>
    {#if file.files > 1}and {whole(file.files - 1)} more of the same layout hold{:else}holds{/if}
    <select
      class="inline-pick font-semibold"
      aria-label="What {file.name} holds"
      value={file.table}
      onchange={(event) => onsay({ table: event.currentTarget.value as Said['table'], columns: {} })}
      >{#each tables as one (one.name)}<option value={one.name}>{one.title.toLowerCase()}</option
        >{/each}</select
    >{file.frame === '5min' ? ' of five minutes' : file.frame === 'day' ? ' of days' : ''}, {whole(file.rows)} row{file.rows ===
    1
      ? ''
      : 's'}{file.dates && !file.questions.some((one) => one.key === 'dates')
      ? `; dates are written ${file.dates}`
      : ''}{file.decimal === 'comma' ? ', decimals with a comma' : ''}.
    {#if left.length}<span class="text-ink2">Not taken: {left.join(', ')}.</span>{/if}
    {#if file.vendor}<span class="text-ink2">Read as “{file.vendor}” was before.</span>{/if}
  </p>
  {#if file.table === 'bars' && file.rows > 0}
    <p class="mt-1 text-[13px]">
      Prices are
      <select
        class="inline-pick"
        aria-label="How the prices of {file.name} are adjusted"
        value={file.adjusted}
        onchange={(event) => onsay({ adjusted: event.currentTarget.value as Said['adjusted'] })}
      >
        <option value="">as printed, or with adjusted closes beside them</option>
        <option value="splits">adjusted for splits already</option>
        <option value="full">adjusted for splits and dividends already</option>
      </select>
    </p>
  {/if}
  {#each file.notes as note, i (i)}<p class="mt-1 text-[13px] text-ink2">{note}</p>{/each}
  <FileQuestions name={file.name} questions={file.questions} columns={file.columns} {said} {onsay} />
  <FileColumns columns={file.columns} first={file.first} known={table?.columns ?? []} {said} {onsay} />
</article>
