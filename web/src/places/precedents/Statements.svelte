<script lang="ts">
  /** What is true this morning, by group, rarest first; ticked, it becomes a line. */
  import { percent } from '$lib/format'
  import type { Morning } from '$lib/whole'

  interface Props {
    morning: Morning
    ticked: string[]
    both: number | null
    ontick: (line: string, on: boolean) => void
    onboth: (pair: 0 | 1 | 2 | 3 | null) => void
  }
  const { morning, ticked, both, ontick, onboth }: Props = $props()
  const listed = $derived(new Set(morning.groups.flatMap((group) => group.statements.map((s) => s.line))))
  const others = $derived(ticked.filter((line) => !listed.has(line)))
</script>

{#snippet row(line: string, words: string, share: number | null, holds: boolean | null, pair: number | null)}
  {@const on = ticked.includes(line)}
  <li class="grid grid-cols-[20px_minmax(0,1fr)_70px_44px] items-center gap-x-2 py-[3px]">
    <input
      id="line {line}"
      type="checkbox"
      class="tick"
      checked={on}
      onchange={(event) => ontick(line, event.currentTarget.checked)}
    />
    <label for="line {line}" class="cursor-pointer leading-tight" title={words}>
      <span class="font-mono text-[12.5px] {on ? 'font-semibold' : ''}">{line}</span>
      {#if holds === null}<span class="ml-1 text-[11px] text-ink3">open</span>{/if}
      {#if holds === false}<span class="ml-1 text-[11px] text-loss">not so this morning</span>{/if}
      {#if pair !== null}<button
          class="link ml-1 text-[11px] underline"
          aria-pressed={both === pair}
          onclick={() => onboth(both === pair ? null : (pair as 0 | 1 | 2 | 3))}
          >{both === pair ? 'not both ways' : 'both ways'}</button
        >{/if}
    </label>
    <span class="h-[7px] bg-paper2" aria-hidden="true"
      ><span
        class="block h-full {on ? 'bg-ember' : 'bg-hair'}"
        style:width="{Math.round(Math.min(1, share ?? 0) * 100)}%"
      ></span></span
    >
    <span class="num text-[12.5px] text-ink2" title="The share of all sessions in which it held"
      >{percent(share, share !== null && share < 0.01 ? 1 : 0, false)}</span
    >
  </li>
{/snippet}

{#each morning.groups as group (group.name)}
  <h2 class="mt-3 font-title text-[17px]">{group.name}</h2>
  <ul>
    {#each group.statements as one (one.line)}
      {@render row(one.line, one.words, one.share, one.true, one.both)}
    {/each}
  </ul>
{/each}
{#if others.length}
  <h2 class="mt-3 font-title text-[17px]">Ticked before</h2>
  <ul>
    {#each others as line, i (i)}
      {@const found = morning.lines.find((one) => one.text === line)}
      {@render row(line, line, null, found?.this ?? false, null)}
    {/each}
  </ul>
{/if}
