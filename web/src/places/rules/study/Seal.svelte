<script lang="ts">
  /** The sealed days of a rule: calm, and impossible to miss. */
  import { api, sentence } from '$lib/api'
  import { day } from '$lib/format'
  import { tell } from '$lib/notice.svelte'
  import { ask, client, query } from '$lib/queries'
  import BreakSeal from '$lib/ui/BreakSeal.svelte'

  interface Props {
    rule: number
    version: number
    onbroken: () => void
  }
  const { rule, version, onbroken }: Props = $props()
  const answer = query(() => ask.seal(rule))
  const seal = $derived(answer.data)
  let open = $state(false)
  $effect(() => {
    if (answer.error) tell(sentence(answer.error))
  })

  async function breakIt(): Promise<void> {
    try {
      client.setQueryData(ask.seal(rule).queryKey, await api.breakSeal(rule))
      open = false
      onbroken()
    } catch (error) {
      tell(sentence(error))
    }
  }
</script>

{#if seal?.sealed_from}
  <p class="flex items-baseline gap-2 border-b border-hair bg-paper2 px-5 py-1.5 text-[13px] text-ink2">
    <svg width="11" height="11" viewBox="0 0 11 11" aria-hidden="true" class="translate-y-[1px]">
      <circle cx="5.5" cy="5.5" r="4.5" fill={seal.broken ? 'none' : 'var(--ember)'} stroke="var(--ember)" />
      {#if seal.broken}<path d="M1.5,9 9.5,2" stroke="var(--ember)" />{/if}
    </svg>
    {#if seal.broken}
      <span
        >Seal broken on {day(seal.broken)} at version {seal.version}: what was changed since has seen every
        day. Up to the seal and after it stand side by side below.</span
      >
    {:else}
      <span
        >Sealed from {day(seal.sealed_from)}: the last quarter of history stays unseen until the rule is
        final.</span
      >
      <BreakSeal of="rule" class="link ml-auto whitespace-nowrap" bind:open onbreak={breakIt}>
        From {day(seal.sealed_from)} on nothing has been measured, so these days can still tell whether the rule
        works or was only fitted to what came before. They can do so once: whatever you change after looking has
        seen them. The date and version {version} are kept with the rule.
      </BreakSeal>
    {/if}
  </p>
{/if}
