<script lang="ts" module>
  import type { Chart } from '$lib/api'

  /** Those the rule speaks of first, then those that can still matter, the latest to appear before the others. */
  export function byAge(patterns: Chart['patterns'], spoken: string[]): Chart['patterns'] {
    const last = (p: Chart['patterns'][number]) =>
      (spoken.includes(p.name) ? 0 : 2) + (p.state === 'failed' || p.state === 'expired' ? 1 : 0)
    return [...patterns].sort((a, b) => last(a) - last(b) || a.age - b.age)
  }
</script>

<script lang="ts">
  /** Every pattern that is live on the instrument as of the day. */
  import { moment, percent, price } from '$lib/format'

  interface Props {
    chart: Chart
    /** The patterns that the rule speaks of. */
    spoken: string[]
    /** The one that is drawn. */
    picked: Chart['patterns'][number] | null
    onpick: (pattern: Chart['patterns'][number]) => void
  }
  const { chart, spoken, picked, onpick }: Props = $props()
  const shown = $derived(byAge(chart.patterns, spoken))
</script>

<h3 class="pt-1 pb-1 font-title text-[15px]">Patterns as of {moment(chart.days.at(-1))}</h3>
{#if !shown.length}
  <p class="text-ink2">None is visible: no turning points of the last months make one.</p>
{/if}
{#each shown as p, i (i)}
  <div class="border-t border-hair py-1.5 {p.state === 'failed' || p.state === 'expired' ? 'text-ink3' : ''}">
    <p>
      <button
        class="text-left hover:underline {p === picked ? 'text-ember' : ''}"
        aria-pressed={p === picked}
        onclick={() => onpick(p)}><span class="font-semibold">{p.name}</span>, {p.state}</button
      >
    </p>
    <p class="text-ink2">
      seen for {p.age} bars, since {moment(p.points[0]?.day)}; quality {p.quality}
    </p>
    <p class="font-mono text-[12px]">
      {price(p.trigger)} trigger, {price(p.invalid)} invalid, {price(p.target)} target
    </p>
    {#if p === picked && p.parts.length}
      <p class="font-mono text-[12px]">
        {#each p.parts as part, n (part.name)}{n ? ', ' : ''}{part.name}&nbsp;{part.price
            ? price(part.value)
            : part.name.endsWith('touches')
              ? part.value
              : percent(part.value, 2)}{/each}
      </p>
    {/if}
  </div>
{/each}
<p class="border-t border-hair pt-1.5 text-ink3">
  By each kind’s own defaults, the latest four of it. Found from confirmed turning points only.
</p>
