<script lang="ts">
  import type { Scan } from '$lib/api'
  import { percent } from '$lib/format'

  interface Props {
    dials: Scan['dials']
    onturn: (name: string, value: number, percent: boolean) => void
  }
  const { dials, onturn }: Props = $props()
</script>

<div class="border-t border-hair px-4 py-2" role="group" aria-label="Dials">
  {#each dials as dial (dial.name)}
    {#if dial.low !== null && dial.high !== null}
      <label class="grid grid-cols-[80px_1fr_64px] items-center gap-3 py-0.5 font-mono text-[13px]">
        {dial.name}
        <input
          type="range"
          class="h-4 accent-ember"
          min={dial.low}
          max={dial.high}
          step={dial.step ?? (dial.high - dial.low) / 100}
          value={dial.value}
          oninput={(event) => onturn(dial.name, event.currentTarget.valueAsNumber, dial.percent)}
        />
        <output class="num">{dial.percent ? percent(dial.value, 1, false) : dial.value}</output>
      </label>
    {/if}
  {/each}
</div>
