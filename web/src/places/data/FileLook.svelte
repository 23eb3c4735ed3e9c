<script lang="ts">
  /** One file as it is understood: what it holds, what each column is taken as, its first rows, and what has to be asked. */
  import type { DataFile, DataThere, Schemas } from '$lib/api'
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
  let zone = $state('')

  /** What every column is taken as by now, so that choosing one leaves the others as they are on show. */
  function chosen(): Record<string, string> {
    const shown = Object.fromEntries(
      file.columns.filter((one) => one.name).map((one) => [one.heading, one.name]),
    )
    return { ...shown, ...said?.columns }
  }
  type Question = DataFile['questions'][number]
  /** Whether that was answered to a question; of columns, under the heading that it is about. */
  function answered(question: Question, value: string): boolean {
    if (question.key === 'columns') return said?.columns?.[question.heading] === value
    return said?.[question.key] === value
  }
  function answer(question: Question, value: string): void {
    if (question.key === 'columns')
      onsay({ columns: { ...said?.columns, [question.heading]: value }, confirmed: 'yes' })
    else if (question.key === 'confirmed')
      onsay({
        confirmed: 'yes',
        columns: Object.fromEntries(file.columns.map((one) => [one.heading, one.name ?? ''])),
      })
    else onsay({ [question.key]: value })
  }
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
  {#if file.table === 'bars'}
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
  {#each file.questions as question, at (at)}
    <fieldset class="mt-2 text-[13px]">
      <legend class="font-semibold text-ember">{question.ask}</legend>
      {#if question.options.length}
        {#each question.options as option (option.answer)}
          <label class="mr-5 inline-block"
            ><input
              type="radio"
              class="accent-ember"
              name="{file.name}-{question.key}-{question.heading}"
              checked={answered(question, option.answer)}
              onchange={() => answer(question, option.answer)}
            />
            {option.said}</label
          >
        {/each}
      {:else if question.key === 'columns'}
        <p class="text-ink2">Choose above each column below what it is.</p>
      {:else}
        <form
          onsubmit={(event) => {
            event.preventDefault()
            onsay({ zone: zone.trim() })
          }}
        >
          <input
            class="field w-60"
            list="file-zones"
            placeholder="Europe/Helsinki"
            required
            bind:value={zone}
          />
          <datalist id="file-zones"
            >{#each Intl.supportedValuesOf('timeZone') as name (name)}<option value={name}
              ></option>{/each}</datalist
          >
          <button class="quiet">That one</button>
        </form>
      {/if}
    </fieldset>
  {/each}
  <div class="mt-2 overflow-auto">
    <table class="text-[12px]">
      <thead>
        <tr>
          {#each file.columns as column (column.heading)}
            <th scope="col" class="pr-5 text-left font-normal whitespace-nowrap">
              <select
                class="inline-pick font-semibold"
                class:text-ink3={!column.name}
                aria-label="{column.heading} is taken as"
                value={column.name}
                onchange={(event) =>
                  onsay({ columns: { ...chosen(), [column.heading]: event.currentTarget.value } })}
              >
                <option value="">not taken</option>
                {#each table?.columns ?? [] as known (known.name)}<option value={known.name}
                    >{known.name}</option
                  >{/each}
              </select>
              {#if column.name !== column.heading}<span class="block text-ink3">{column.heading}</span>{/if}
            </th>
          {/each}
        </tr>
      </thead>
      <tbody>
        {#each file.first as row, i (i)}
          <tr class="border-t border-hair/60">
            {#each row as cell, j (j)}<td
                class="max-w-48 truncate pr-5 font-mono"
                class:text-ink3={!file.columns[j]?.name}>{cell}</td
              >{/each}
          </tr>
        {/each}
      </tbody>
    </table>
  </div>
</article>
