<script lang="ts">
  /** A day that is chosen, said as people say it; an empty one says what stands for it. */
  import { day } from './format'

  interface Props {
    value: string
    label: string
    /** What is said where none is chosen. */
    empty: string
    min?: string | undefined
    max?: string | undefined
  }
  let { value = $bindable(), label, empty, min, max }: Props = $props()
  let picker: HTMLInputElement | undefined = $state()
</script>

<span class="relative inline-block whitespace-nowrap">
  <span class="inline-pick font-semibold text-ink">{value ? day(value) : empty}</span>
  <input
    bind:this={picker}
    type="date"
    aria-label={label}
    title={label}
    class="absolute inset-0 w-full cursor-pointer opacity-0"
    {min}
    {max}
    bind:value
    onclick={() => picker?.showPicker?.()}
  />
</span>
{#if value}<button
    class="link"
    aria-label="{label}: none chosen"
    title="Take it back"
    onclick={() => (value = '')}>×</button
  >{/if}

<style>
  span:focus-within > .inline-pick {
    outline: 2px solid var(--ember);
    outline-offset: 2px;
  }
</style>
