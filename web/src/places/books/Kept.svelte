<script lang="ts">
  /** Runs of this book that are kept, the settings that were tried, and every version saved. */
  import { diffLines } from 'diff'
  import { books, sentence, type BookDetail, type Schemas } from '$lib/api'
  import { attempt } from '$lib/mutation'
  import { day, fixed, percent, when } from '$lib/format'
  import { unfinished } from '$lib/invalidation'
  import { tell } from '$lib/notice.svelte'
  import Compared from './Compared.svelte'
  import { ask, query } from '$lib/queries'

  interface Props {
    book: BookDetail
    dirty: boolean
    onopen: (run: Schemas['BookRunOut']) => void
    onrestored: (book: BookDetail) => void
  }
  const { book, dirty, onopen, onrestored }: Props = $props()
  const answer = query(() => ask.bookRuns(book.id))
  const tries = query(() => ask.bookTries(book.id))
  /** The runs set side by side: the earlier one first. */
  let chosen = $state<number[]>([])
  const pair = $derived(
    chosen.length === 2
      ? chosen
          .toSorted((a, b) => a - b)
          .map((id) => (answer.data ?? []).find((run) => run.id === id))
          .filter((run) => run !== undefined)
          .map((run) => ({
            id: run.id,
            label: `${run.version ? `version ${run.version}` : 'not saved'}, ${when(run.asked)}`,
          }))
      : [],
  )
  const versions = query(() => ask.bookVersions(book.id))

  const restore = (version: Schemas['VersionOut']) =>
    attempt(['jobs', 'books'], async () => {
      onrestored(await books.save(book.id, version.text, book.mark))
      tell(`Version ${version.number} is the book’s text again, as its latest version.`)
    })
</script>

<h2 class="font-title text-[18px]">Runs</h2>
{#if answer.error}<p role="alert" class="text-loss">{sentence(answer.error)}</p>{/if}
{#if answer.data?.length === 0}<p class="text-[13px] text-ink2">Nothing was run yet.</p>{/if}
{#if answer.data?.length}
  <table class="mt-1 w-full text-[13px]">
    <thead>
      <tr class="border-b border-hair text-ink2">
        <th scope="col" class="pr-3 text-left font-semibold" title="Two of them are set side by side"
          >Compare</th
        >
        <th scope="col" class="text-left font-semibold">Asked</th>
        <th scope="col" class="pl-4 text-left font-semibold">Text</th>
        <th scope="col" class="pl-4 text-left font-semibold">Result</th>
        <th scope="col" class="pl-4 text-right font-semibold">Took</th>
      </tr>
    </thead>
    <tbody>
      {#each answer.data as run (run.id)}
        <tr class="border-b border-hair/60 align-baseline">
          <td
            ><input
              type="checkbox"
              class="tick"
              aria-label="Compare the run of {when(run.asked)}"
              disabled={run.state !== 'done'}
              checked={chosen.includes(run.id)}
              onchange={(event) =>
                (chosen = event.currentTarget.checked
                  ? [...chosen.slice(-1), run.id]
                  : chosen.filter((one) => one !== run.id))}
            /></td
          >
          <td class="py-1 whitespace-nowrap">{when(run.asked)}</td>
          <td class="pl-4 whitespace-nowrap"
            ><button
              class="underline underline-offset-3"
              disabled={run.state !== 'done'}
              onclick={() => onopen(run)}>{run.version ? `version ${run.version}` : 'not saved'}</button
            ></td
          >
          <td class="pl-4">
            {#if run.state === 'done'}{run.headline}{:else if unfinished(run)}{run.stage},
              {percent(run.share, 0, false)}
              <button
                class="link underline"
                onclick={() => attempt(['jobs', 'books'], () => books.stop(run.id))}>Stop</button
              >
            {:else}<span class="text-ink2">{run.state}. {run.detail}</span>
              <button
                class="link underline"
                onclick={() => attempt(['jobs', 'books'], () => books.again(run.id))}>Run again</button
              >
            {/if}
            <span class="block text-ink3">{run.words}; data version {run.data_version}</span>
          </td>
          <td class="num pl-4">{run.seconds === null ? '' : `${run.seconds.toFixed(1)} s`}</td>
        </tr>
      {/each}
    </tbody>
  </table>
{/if}

{#if pair.length === 2}
  <Compared first={pair[0]!} second={pair[1]!} />
{/if}

{#if tries.data?.rows.length}
  <h2 class="mt-5 font-title text-[18px]">Settings tried</h2>
  <table class="mt-1 text-[13px]">
    <thead>
      <tr class="border-b border-hair text-ink2">
        <th scope="col" class="text-left font-semibold">Setting</th>
        <th scope="col" class="pl-6 text-right font-semibold">Sharpe ratio</th>
        <th scope="col" class="pl-6 text-left font-semibold">First run</th>
      </tr>
    </thead>
    <tbody>
      {#each tries.data.rows as row, i (i)}
        <tr class="border-b border-hair/60">
          <th scope="row" class="text-left font-normal">{row.label}</th>
          <td class="num pl-6">{fixed(row.sharpe)}</td>
          <td class="pl-6">{day(row.made)}</td>
        </tr>
      {/each}
    </tbody>
  </table>
{/if}

<h2 class="mt-5 font-title text-[18px]">Versions</h2>
<ol class="mt-1">
  {#each versions.data ?? [] as version, i (version.number)}
    {@const before = versions.data?.[i + 1]}
    <li class="border-t border-hair py-2">
      <div class="flex items-baseline gap-3 text-[13px]">
        <span class="font-semibold">Version {version.number}</span>
        <span class="text-ink2">{when(version.saved)}</span>
        {#if i > 0}<button
            class="link ml-auto"
            disabled={dirty}
            title={dirty ? 'Save or drop what is not saved first' : undefined}
            onclick={() => restore(version)}>Restore</button
          >{/if}
      </div>
      <pre
        class="mt-1 font-mono text-[12.5px] leading-[1.55] break-words whitespace-pre-wrap">{#each before ? diffLines(before.text, version.text) : [{ value: version.text, added: false, removed: false }] as part, n (n)}{#if part.added || part.removed || !before}<span
              class={part.added ? 'text-gain' : part.removed ? 'text-loss line-through' : 'text-ink2'}
              >{part.value}</span
            >{/if}{/each}</pre>
    </li>
  {/each}
</ol>
