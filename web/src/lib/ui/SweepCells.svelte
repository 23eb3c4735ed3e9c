<script lang="ts" generics="Cell extends { values: number[]; holds: boolean }">
  /** A sweep as a field of cells, one a setting: the first dial downwards, the second (if there is one) across. */
  interface Props {
    found: { dials: string[]; values: number[][]; cells: Cell[]; plateau: number | null; peak: number | null }
    caption: string
    note?: string
    setting: (dial: string, value: number) => string
    shade: (cell: Cell) => string
    faint: (cell: Cell) => boolean
    /** The two lines of a cell. */
    figures: (cell: Cell) => readonly [string, string]
    title: (cell: Cell) => string
    onset: (cell: Cell) => void
  }
  const { found, caption, note = '', setting, shade, faint, figures, title, onset }: Props = $props()
  const rows = $derived(found.values[0]!)
  const columns = $derived(found.values[1] ?? [null])
</script>

<div class="mt-2 overflow-x-auto">
  <table class="border-separate border-spacing-[2px] text-[12px]">
    <caption class="pb-1 text-left text-[13px] text-ink2"
      >{caption}
      <span class="font-mono">{found.dials[0]}</span> downwards{#if found.dials[1]},
        <span class="font-mono">{found.dials[1]}</span> across{/if}. A dot: its neighbours hold up. Framed:
      the plateau. A triangle: the peak. {note}</caption
    >
    {#if found.dials[1]}
      <thead>
        <tr>
          <th></th>
          {#each columns as value (value)}<th scope="col" class="num pr-1 font-semibold"
              >{setting(found.dials[1]!, value!)}</th
            >{/each}
        </tr>
      </thead>
    {/if}
    <tbody>
      {#each rows as row, i (row)}
        <tr>
          <th scope="row" class="num pr-2 font-semibold">{setting(found.dials[0]!, row)}</th>
          {#each columns as column, j (column)}
            {@const place = i * columns.length + j}
            {@const cell = found.cells[place]!}
            {@const [first, second] = figures(cell)}
            <td class="p-0">
              <button
                class="relative block h-[38px] w-[72px] font-mono {faint(cell) ? 'text-ink3' : ''} {place ===
                found.plateau
                  ? 'outline-2 outline-ember'
                  : ''}"
                style:background={shade(cell)}
                title={title(cell)}
                onclick={() => onset(cell)}
              >
                <span class="block leading-tight">{first}</span>
                <span class="block text-[11px] leading-tight opacity-75">{second}</span>
                {#if cell.holds}<span
                    class="absolute right-1 bottom-0 text-[9px] text-ember"
                    aria-hidden="true">●</span
                  >{/if}
                {#if place === found.peak && place !== found.plateau}<span
                    class="absolute top-0.5 left-1 text-[9px] text-ember"
                    aria-hidden="true">▲</span
                  >{/if}
              </button>
            </td>
          {/each}
        </tr>
      {/each}
    </tbody>
  </table>
</div>
