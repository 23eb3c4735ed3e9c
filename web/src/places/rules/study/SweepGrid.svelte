<script lang="ts">
  /** A sweep of two dials as a field of cells, one a setting. */
  import type { Schemas } from '$lib/api'
  import { percent, whole } from '$lib/format'

  type Cell = Schemas['CellOut']
  interface Props {
    found: Schemas['SweepOut']
    said: (dial: string, value: number) => string
    told: (cell: Cell) => string
    onset: (cell: Cell) => void
  }
  const { found, said, told, onset }: Props = $props()
  const rows = $derived(found.values[0]!)
  const columns = $derived(found.values[1]!)
  const most = $derived(Math.max(1e-4, ...found.cells.map((c) => Math.abs(c.excess ?? 0))))

  function shade(cell: Cell): string {
    if (cell.excess === null || cell.count < 20) return 'transparent'
    const part = Math.round((Math.abs(cell.excess) / most) * 70)
    return `color-mix(in srgb, var(--${cell.excess > 0 ? 'gain' : 'loss'}) ${part}%, var(--paper))`
  }
</script>

<div class="mt-3 overflow-x-auto">
  <table class="border-separate border-spacing-[2px] text-[12px]">
    <caption class="pb-1 text-left text-[13px] text-ink2"
      >Excess and hits; <span class="font-mono">{found.dials[0]}</span> downwards,
      <span class="font-mono">{found.dials[1]}</span> across. A dot: its neighbours hold up. Framed: the plateau.
      A triangle: the peak.</caption
    >
    <thead>
      <tr>
        <th></th>
        {#each columns as v (v)}<th scope="col" class="num pr-1 font-semibold">{said(found.dials[1]!, v)}</th
          >{/each}
      </tr>
    </thead>
    <tbody>
      {#each rows as v, i (v)}
        <tr>
          <th scope="row" class="num pr-2 font-semibold">{said(found.dials[0]!, v)}</th>
          {#each columns as v2, j (v2)}
            {@const place = i * columns.length + j}
            {@const cell = found.cells[place]!}
            <td class="p-0">
              <button
                class="relative block h-[38px] w-[64px] font-mono {cell.count < 20
                  ? 'text-ink3'
                  : ''} {place === found.plateau ? 'outline-2 outline-ember' : ''}"
                style:background={shade(cell)}
                title={told(cell)}
                onclick={() => onset(cell)}
              >
                <span class="block leading-tight">{percent(cell.excess, 2)}</span>
                <span class="block text-[11px] leading-tight opacity-75">{whole(cell.count)}</span>
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
