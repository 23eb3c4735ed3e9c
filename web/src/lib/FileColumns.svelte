<script lang="ts">
  /** A file's first rows, with what each of its columns is taken as. */
  import type { Schemas } from '$lib/api'

  type Said = Schemas['AnswersIn']
  interface Props {
    columns: Schemas['HeadingOut'][]
    first: string[][]
    /** The columns that it may be taken as. */
    known: { name: string }[]
    said: Said | undefined
    onsay: (more: Partial<Said>) => void
  }
  const { columns, first, known: names, said, onsay }: Props = $props()
  /** What every column is taken as by now, so that choosing one leaves the others as they are on show. */
  function chosen(): Record<string, string> {
    const shown = Object.fromEntries(columns.filter((one) => one.name).map((one) => [one.heading, one.name]))
    return { ...shown, ...said?.columns }
  }
</script>

<div class="mt-2 overflow-auto">
  <table class="text-[12px]">
    <thead>
      <tr>
        {#each columns as column (column.heading)}
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
              {#each names as known (known.name)}<option value={known.name}>{known.name}</option>{/each}
            </select>
            {#if column.name !== column.heading}<span class="block text-ink3">{column.heading}</span>{/if}
          </th>
        {/each}
      </tr>
    </thead>
    <tbody>
      {#each first as row, i (i)}
        <tr class="border-t border-hair/60">
          {#each row as cell, j (j)}<td
              class="max-w-48 truncate pr-5 font-mono"
              class:text-ink3={!columns[j]?.name}>{cell}</td
            >{/each}
        </tr>
      {/each}
    </tbody>
  </table>
</div>
