<script lang="ts">
  import { diffLines } from 'diff'
  import { api, sentence, type RuleDetail, type Version } from '$lib/api'
  import { attempt, undoable } from '$lib/mutation'
  import { moment, when, whole } from '$lib/format'
  import { market } from '$lib/market.svelte'
  import { ask, client, query } from '$lib/queries'
  import { withName } from '$lib/rule/headers'

  interface Props {
    rule: RuleDetail
    dirty: boolean
    onrestored: (found: RuleDetail) => void
  }
  const { rule, dirty, onrestored }: Props = $props()
  const listed = query(() => ask.versions(rule.id))
  const versions = $derived(listed.data ?? null)
  const failed = $derived(listed.error ? sentence(listed.error) : '')
  let compared = $state<Record<number, { gained: string[]; lost: string[] } | string>>({})

  async function hitsOf(text: string): Promise<Set<string>> {
    const { scan } = await client.fetchQuery(ask.scan({ text, as_of: market.asOf, columns: [] }))
    return new Set(scan.hits.map((hit) => hit.symbol))
  }

  async function compare(version: Version, before: Version): Promise<void> {
    compared[version.number] = 'counting …'
    try {
      const [now, then] = await Promise.all([hitsOf(version.text), hitsOf(before.text)])
      compared[version.number] = {
        gained: [...now].filter((symbol) => !then.has(symbol)),
        lost: [...then].filter((symbol) => !now.has(symbol)),
      }
    } catch (error) {
      compared[version.number] = sentence(error)
    }
  }

  async function restore(version: Version): Promise<void> {
    const before = rule.text
    await attempt(['rules'], async () => {
      // What a version said comes back; its name of then does not.
      const restored = await api.save(rule.id, withName(version.text, rule.name), rule.mark)
      onrestored(restored)
      undoable(
        `Version ${version.number} of ${when(version.saved)} is the rule again.`,
        ['rules'],
        async () => onrestored(await api.save(rule.id, before, restored.mark)),
      )
    })
  }
</script>

<div class="h-full overflow-auto px-5 py-4">
  {#if failed}
    <p role="alert" class="text-loss">{failed}</p>
  {:else if !versions}
    <p class="text-ink2">Loading the versions …</p>
  {:else}
    {#if dirty}<p class="mb-3 text-[13px] text-ink2">What is not saved yet is in none of these.</p>{/if}
    <ol>
      {#each versions as version, i (version.number)}
        {@const before = versions[i + 1]}
        {@const found = compared[version.number]}
        <li class="border-t border-hair py-3 first:border-t-0">
          <div class="flex items-baseline gap-3">
            <h3 class="font-title text-[17px]">Version {version.number}</h3>
            <span class="text-[13px] text-ink3">{when(version.saved)}</span>
            {#if i === 0}<span class="text-[13px] text-ink3">the rule as saved</span>{/if}
            <span class="ml-auto flex gap-4 text-[13px]">
              {#if before}<button class="link" onclick={() => compare(version, before)}
                  >Hits gained and lost</button
                >{/if}
              {#if i > 0}<button class="link" onclick={() => restore(version)}>Restore</button>{/if}
            </span>
          </div>
          {#if typeof found === 'string'}
            <p class="mt-1 text-[13px] text-ink2">{found}</p>
          {:else if found}
            <p class="mt-1 text-[13px]">
              On {moment(market.asOf)}: {whole(found.gained.length)} gained{found.gained.length
                ? ': '
                : ''}<span class="font-mono text-gain">{found.gained.join(', ')}</span>; {whole(
                found.lost.length,
              )} lost{found.lost.length ? ': ' : ''}<span class="font-mono text-loss"
                >{found.lost.join(', ')}</span
              >.
            </p>
          {/if}
          <pre
            class="mt-1.5 font-mono break-words whitespace-pre-wrap text-[12.5px] leading-[1.55]">{#each before ? diffLines(before.text, version.text) : [{ value: version.text, added: false, removed: false }] as part, n (n)}{#if part.added || part.removed}<span
                  class={part.added ? 'text-gain' : 'text-loss line-through decoration-1'}
                  >{part.value
                    .replace(/\n$/, '')
                    .split('\n')
                    .map((line) => (part.added ? '+ ' : '− ') + line)
                    .join('\n')}
</span>{:else if !before || part.value.split('\n').length < 4}<span class="text-ink2"
                  >{part.value
                    .replace(/\n$/, '')
                    .split('\n')
                    .map((line) => '  ' + line)
                    .join('\n')}
</span>{:else}<span class="text-ink3">  …
</span>{/if}{/each}</pre>
        </li>
      {/each}
    </ol>
  {/if}
</div>
