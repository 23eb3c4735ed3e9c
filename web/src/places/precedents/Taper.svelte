<script lang="ts">
  /** How many sessions are left after each ticked line. */
  import { whole } from '$lib/format'
  import type { Morning } from '$lib/whole'

  const { morning }: { morning: Morning } = $props()
  const left = $derived([morning.sessions, ...morning.lines.map((line) => line.left)])
  const width = (count: number) =>
    morning.sessions ? Math.max(count ? 2 : 0, (count / morning.sessions) * 150) : 0
</script>

<div class="grid grid-cols-[150px_minmax(0,1fr)] items-center gap-x-3">
  <div aria-hidden="true">
    {#each left as count, i (i)}
      <span
        class="mx-auto block h-2 {i && i === left.length - 1 ? 'bg-ember' : 'bg-glow'}"
        class:mt-px={i > 0}
        style:width="{width(count)}px"
      ></span>
    {/each}
  </div>
  <p class="font-mono text-[12.5px] text-ink2" aria-label="Sessions left after each line">
    {#each left as count, i (i)}{#if i}<span class="px-1.5 text-ink3">·</span>{/if}<span
        class:text-ember={i > 0 && i === left.length - 1}
        class:font-semibold={i === left.length - 1}
        title={i ? morning.lines[i - 1]!.text : 'all sessions'}>{whole(count)}</span
      >{/each}
  </p>
</div>
