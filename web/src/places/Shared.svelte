<script lang="ts">
  /** A rule that another account has given away: to read, and to copy. */
  import { api, sentence } from '$lib/api'
  import { tell } from '$lib/notice.svelte'
  import { ask, query } from '$lib/queries'
  import { go } from '$lib/router.svelte'

  const { token }: { token: string } = $props()
  const answer = query(() => ask.shared(token))
  const rule = $derived(answer.data ?? null)
  const failed = $derived(answer.error ? sentence(answer.error) : '')

  async function take(): Promise<void> {
    try {
      const made = await api.copyShared(token)
      const kept = made.kept.map((name) => `“${name}”`).join(', ')
      tell(
        `“${made.name}” is among your rules now.${kept ? ` It uses your own ${kept}, which reads otherwise.` : ''}`,
      )
      go(`/rules/${made.id}`)
    } catch (error) {
      tell(sentence(error))
    }
  }
</script>

<section class="mx-auto h-full max-w-[900px] overflow-auto px-6 py-6">
  {#if failed}
    <p role="alert" class="text-loss">{failed}</p>
    <button class="quiet mt-4" onclick={() => go('/rules')}>My rules</button>
  {:else if !rule}
    <p class="text-ink2">Opening the rule …</p>
  {:else}
    <p class="text-ink3">A rule of {rule.owner}, to read and to copy</p>
    <div class="flex items-baseline gap-4">
      <h1 class="font-title text-[26px]">{rule.name}</h1>
      <button class="act ml-auto" onclick={take}>Copy it to my rules</button>
    </div>
    {#if rule.about}<p class="mt-1 text-ink2">{rule.about}</p>{/if}
    <!-- svelte-ignore a11y_no_noninteractive_tabindex -->
    <pre
      tabindex="0"
      aria-label="Text of the rule"
      class="mt-4 overflow-auto border-y border-hair py-3 font-mono text-[13px] leading-[26px]">{rule.text}</pre>
    {#each Object.entries(rule.parts) as [name, text] (name)}
      <h2 class="mt-5 font-title text-[19px]">It uses “{name}”</h2>
      <!-- svelte-ignore a11y_no_noninteractive_tabindex -->
      <pre
        tabindex="0"
        aria-label="Text of {name}"
        class="mt-1 overflow-auto border-y border-hair py-3 font-mono text-[13px] leading-[26px]">{text}</pre>
    {/each}
  {/if}
</section>
