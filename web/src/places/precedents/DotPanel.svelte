<script lang="ts">
  /** One index: the share that closed above the open, one dot a session, and what it came to. */
  import { percent, tone, whole } from '$lib/format'
  import type { Panel } from '$lib/whole'

  interface Props {
    panel: Panel
    name: string
    chosen: boolean
    onpick: () => void
  }
  const { panel, name, chosen, onpick }: Props = $props()
  const WIDTH = 190
  const HEIGHT = 122
  const R = 3.1
  const MOST = Math.floor(HEIGHT / (2 * R + 1))
  const bins = $derived(panel.dots.up.length)
  const tallest = $derived(Math.max(...panel.dots.up.map((n, i) => n + panel.dots.down[i]!), 1))
  /** So many sessions that not every one can have a dot: then a dot stands for several. */
  const each = $derived(Math.ceil(tallest / MOST))
  const dots = $derived(
    panel.dots.up.flatMap((up, bin) => {
      const down = panel.dots.down[bin]!
      const x = ((bin + 0.5) / bins) * WIDTH
      const [losses, gains] = [Math.round(down / each), Math.round(up / each)]
      return Array.from({ length: losses + gains }, (_, i) => ({
        x,
        y: HEIGHT - R - i * (2 * R + 1),
        gain: i >= losses,
      }))
    }),
  )
  const rows = $derived([
    ['mean', panel.mean],
    ['mean up', panel.mean_up],
    ['mean down', panel.mean_down],
    ['median', panel.median],
    ['best on the way', panel.best],
    ['worst on the way', panel.worst],
  ] as const)
</script>

<div class="min-w-0 border-t pt-1.5 {chosen ? 'border-ink2' : 'border-hair'}" class:opacity-50={panel.few}>
  <p class="flex items-baseline gap-2">
    <button
      class="min-w-0 truncate font-semibold hover:underline"
      aria-pressed={chosen}
      title="Say it of {name}"
      onclick={onpick}>{name}</button
    >
    <span class="num ml-auto text-[12.5px] text-ink2"
      >{whole(panel.count)} session{panel.count === 1 ? '' : 's'}</span
    >
  </p>
  <p class="num text-left! text-[26px] leading-tight font-semibold">{percent(panel.share, 0, false)}</p>
  <p class="num text-left! text-[12px] whitespace-normal! text-ink2">
    {#if panel.count}up, {percent(panel.low, 0, false).replace('%', '')} to {percent(panel.high, 0, false)} · any
      {percent(panel.any_share, 0, false)}{:else}none; any {percent(panel.any_share, 0, false)}{/if}
  </p>
  <svg
    viewBox="0 0 {WIDTH} {HEIGHT + 16}"
    class="mt-1 w-full"
    role="img"
    aria-label="{panel.up} of {panel.count} closed above their open; from {percent(
      -panel.dots.reach,
    )} to {percent(panel.dots.reach)}"
  >
    <line x1={WIDTH / 2} x2={WIDTH / 2} y1="0" y2={HEIGHT} stroke="var(--hair)" />
    {#each dots as dot, i (i)}
      <circle cx={dot.x} cy={dot.y} r={R} fill={dot.gain ? 'var(--gain)' : 'var(--loss)'} />
    {/each}
    <line x1="0" x2={WIDTH} y1={HEIGHT + 1.5} y2={HEIGHT + 1.5} stroke="var(--ink3)" />
    <g font-size="9.5" fill="var(--ink3)" font-family="var(--font-mono)">
      <text x="0" y={HEIGHT + 13}>{percent(-panel.dots.reach, 1)}</text>
      <text x={WIDTH / 2} y={HEIGHT + 13} text-anchor="middle">0</text>
      <text x={WIDTH} y={HEIGHT + 13} text-anchor="end">{percent(panel.dots.reach, 1)}</text>
    </g>
  </svg>
  <p class="h-4 text-[11px] text-ink3">{each > 1 ? `a dot is ${each} sessions` : ''}</p>
  <table class="w-full text-[12.5px]">
    <tbody>
      {#each rows as [label, value] (label)}
        <tr class="border-b border-hair/60">
          <th scope="row" class="py-[2px] text-left font-normal text-ink2">{label}</th>
          <td class="num {tone(value)}">{percent(value, 2)}</td>
        </tr>
      {/each}
    </tbody>
  </table>
</div>
