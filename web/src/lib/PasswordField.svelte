<script lang="ts">
  /** A password, hidden while it is typed unless it is asked for. */
  import type { Attachment } from 'svelte/attachments'

  interface Props {
    value: string
    label: string
    /** Whether it is one that is chosen here, and not one that is known. */
    chosen?: boolean
    class?: string
    attach?: Attachment<HTMLInputElement>
  }
  let { value = $bindable(), label, chosen = false, class: classes = '', attach = () => {} }: Props = $props()
  const LEAST = 12
  let shown = $state(false)
</script>

<span class="relative inline-flex {classes}">
  <input
    class="field w-full pr-14 {classes.includes('py-') ? 'py-1.5' : ''}"
    type={shown ? 'text' : 'password'}
    aria-label={label}
    autocomplete={chosen ? 'new-password' : 'current-password'}
    minlength={chosen ? LEAST : undefined}
    title={chosen ? `At least ${LEAST} characters, and not the name` : undefined}
    spellcheck="false"
    autocapitalize="off"
    required
    bind:value
    {@attach attach}
  />
  <button
    type="button"
    class="link absolute top-1/2 right-2 -translate-y-1/2 text-[12px]"
    aria-label={shown ? 'Hide what is typed' : 'Show what is typed'}
    onclick={() => (shown = !shown)}>{shown ? 'Hide' : 'Show'}</button
  >
</span>
