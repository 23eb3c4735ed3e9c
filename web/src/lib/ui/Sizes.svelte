<script lang="ts">
  /** What a loss of one position takes of the account, by how many equal slots there are. */
  import type { Schemas } from '$lib/api'
  import { percent } from '$lib/format'
  import { ask, query } from '$lib/queries'

  interface Props {
    /** Rows of a run's own worst trades, beside the plain ones. */
    own?: Schemas['SizeRowOut'][]
    /** The slots of the book at hand, marked. */
    slots?: number | undefined
  }
  const { own = [], slots }: Props = $props()
  const answer = query(() => ask.sizes())
  const table = $derived(answer.data ?? null)
</script>

{#snippet rows(all: Schemas['SizeRowOut'][], caption: string)}
  <table class="text-[13px]">
    <caption class="pb-1 text-left text-ink2">{caption}</caption>
    <thead>
      <tr class="border-b border-hair text-ink2">
        <th scope="col" class="text-left font-semibold">a loss of</th>
        {#each table!.slots as n (n)}
          <th scope="col" class="pl-6 text-right font-semibold {n === slots ? 'text-ember' : ''}"
            >{n} slots</th
          >
        {/each}
      </tr>
    </thead>
    <tbody>
      {#each all as row (row.loss)}
        <tr class="border-b border-hair/60">
          <th scope="row" class="num text-left font-normal"
            >{percent(row.loss, row.loss < 0.1 ? 1 : 0, false)}</th
          >
          {#each row.shares as share, i (i)}<td class="num pl-6">{percent(share, 2, false)}</td>{/each}
        </tr>
      {/each}
    </tbody>
  </table>
{/snippet}

{#if table}
  <p class="mt-1 max-w-[70ch] text-[13px] text-ink2">
    In equal slots a position is the account over the slots: a stop of 30% costs 6% of it with five slots, and
    3% with ten.
  </p>
  <div class="mt-2 flex flex-wrap gap-x-14 gap-y-4">
    {@render rows(table.rows, 'of the account, for a stop at')}
    {#if own.length}{@render rows(own, 'of the account, for this run’s worst trades')}{/if}
  </div>
{/if}
