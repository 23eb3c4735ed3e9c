<script lang="ts">
  /** Studies, comparisons and sweeps of this rule that are kept. */
  import { api, sentence, type AnyRun } from '$lib/api'
  import { percent } from '$lib/format'
  import { unfinished } from '$lib/invalidation'
  import { ask, forget, query } from '$lib/queries'

  interface Props {
    rule: number
    onopen: (run: AnyRun) => void
  }
  const { rule, onopen }: Props = $props()
  const answer = query(() => ask.studies(rule))
  const runs = $derived(answer.data ?? null)
  let refused = $state('')
  const failed = $derived(answer.error ? sentence(answer.error) : refused)
  const KINDS = { study: 'study', compare: 'comparison', sweep: 'sweep', parts: 'taken apart' }
  const when = new Intl.DateTimeFormat('en-GB', { dateStyle: 'medium', timeStyle: 'short' })

  async function attempt(act: () => Promise<unknown>): Promise<void> {
    refused = ''
    try {
      await act()
    } catch (error) {
      refused = sentence(error)
    }
    forget('jobs')
  }
</script>

{#if failed}<p role="alert" class="text-loss">{failed}</p>{/if}
{#if runs === null}
  <p class="text-ink2">Looking …</p>
{:else if runs.length === 0}
  <p class="text-ink2">Nothing was measured with this rule yet.</p>
{:else}
  <table class="w-full text-[13px]">
    <caption class="sr-only">Kept studies</caption>
    <thead>
      <tr class="border-b border-hair text-ink2">
        <th scope="col" class="text-left font-semibold">Asked</th>
        <th scope="col" class="pl-4 text-left font-semibold">What</th>
        <th scope="col" class="pl-4 text-left font-semibold">Text</th>
        <th scope="col" class="pl-4 text-left font-semibold">What it says</th>
        <th scope="col" class="pl-4 text-right font-semibold">Took</th>
      </tr>
    </thead>
    <tbody>
      {#each runs as run (run.id)}
        <tr class="border-b border-hair/60 align-baseline">
          <td class="py-1 whitespace-nowrap">{when.format(new Date(run.asked))}</td>
          <td class="pl-4">
            <button
              class="underline decoration-hair underline-offset-3 hover:decoration-ink disabled:no-underline"
              disabled={run.state !== 'done' && !unfinished(run)}
              onclick={() => onopen(run)}>{KINDS[run.kind]}</button
            >
          </td>
          <td class="pl-4 whitespace-nowrap">{run.version ? `version ${run.version}` : 'not saved'}</td>
          <td class="pl-4">
            {#if run.state === 'done'}
              {run.headline}
            {:else if unfinished(run)}
              {run.state === 'waiting' ? 'waiting' : `${run.stage}, ${percent(run.share, 0, false)}`}
              <button class="link underline" onclick={() => attempt(() => api.stopStudy(run.id))}>Stop</button
              >
            {:else}
              <span class={run.state === 'failed' ? 'text-loss' : 'text-ink2'}>{run.state}. {run.detail}</span
              >
              <button class="link underline" onclick={() => attempt(() => api.studyAgain(run.id))}
                >Run again</button
              >
            {/if}
            <span class="block text-ink3"
              >{run.beside ? `beside ${run.beside}; ` : ''}{run.words}; data version {run.data_version}, seed {run.seed}</span
            >
          </td>
          <td class="num pl-4">{run.seconds === null ? '' : `${run.seconds.toFixed(1)} s`}</td>
        </tr>
      {/each}
    </tbody>
  </table>
{/if}
