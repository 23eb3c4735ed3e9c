<script lang="ts">
  /** What an import does, or did: rows by table, some of what it changed, and what should be read. */
  import type { Schemas } from '$lib/api'
  import { whole } from '$lib/format'

  const {
    tables,
    changes,
    notes,
  }: {
    tables: Record<string, Schemas['Counted']>
    changes: Schemas['ChangeOut'][]
    notes: string[]
  } = $props()
</script>

<table class="text-[13px]">
  <thead>
    <tr class="border-b border-hair text-ink2">
      <th scope="col" class="pr-6 text-left font-semibold">Table</th>
      <th scope="col" class="w-24 text-right font-semibold">New</th>
      <th scope="col" class="w-24 text-right font-semibold">Changed</th>
      <th scope="col" class="w-28 text-right font-semibold">Stored already</th>
      <th scope="col" class="w-28 text-right font-semibold">Left as it is</th>
    </tr>
  </thead>
  <tbody>
    {#each Object.entries(tables) as [name, of] (name)}
      <tr class="border-b border-hair/60">
        <th scope="row" class="pr-6 text-left font-normal">{name}</th>
        <td class="num">{whole(of.added)}</td>
        <td class="num" class:text-ember={of.replaced > 0}>{whole(of.replaced)}</td>
        <td class="num">{whole(of.same)}</td>
        <td class="num">{whole(of.left)}</td>
      </tr>
    {/each}
  </tbody>
</table>
{#if changes.length}
  <p class="mt-2 text-[12px] text-ink2">What changes, or some of it:</p>
  <ul class="text-[12px]">
    {#each changes as one, i (i)}
      <li><b class="font-semibold">{one.key}</b> <span class="text-ink2">{one.old}</span> → {one.new}</li>
    {/each}
  </ul>
{/if}
{#each notes as note, i (i)}<p class="mt-1 max-w-[90ch] text-[13px] text-loss">{note}</p>{/each}
