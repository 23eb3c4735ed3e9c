<script lang="ts">
  /** What has to be asked about a file before it is taken. */
  import type { Schemas } from '$lib/api'

  type Said = Schemas['AnswersIn']
  interface Props {
    name: string
    questions: Schemas['QuestionOut'][]
    columns: Schemas['HeadingOut'][]
    said: Said | undefined
    onsay: (more: Partial<Said>) => void
  }
  const { name, questions, columns, said, onsay }: Props = $props()
  let zone = $state('')

  type Question = Schemas['QuestionOut']
  /** Whether that was answered to a question; of columns, under the heading that it is about. */
  function answered(question: Question, value: string): boolean {
    if (question.key === 'columns') return said?.columns?.[question.heading] === value
    return said?.[question.key] === value
  }
  function answer(question: Question, value: string): void {
    if (question.key === 'columns')
      onsay({ columns: { ...said?.columns, [question.heading]: value }, confirmed: 'yes' })
    else if (question.key === 'confirmed')
      onsay({
        confirmed: 'yes',
        columns: Object.fromEntries(columns.map((one) => [one.heading, one.name ?? ''])),
      })
    else onsay({ [question.key]: value })
  }
</script>

{#each questions as question, at (at)}
  <fieldset class="mt-2 text-[13px]">
    <legend class="font-semibold text-ember">{question.ask}</legend>
    {#if question.options.length}
      {#each question.options as option (option.answer)}
        <label class="mr-5 inline-block"
          ><input
            type="radio"
            class="accent-ember"
            name="{name}-{question.key}-{question.heading}"
            checked={answered(question, option.answer)}
            onchange={() => answer(question, option.answer)}
          />
          {option.said}</label
        >
      {/each}
    {:else if question.key === 'columns'}
      <p class="text-ink2">Choose above each column below what it is.</p>
    {:else}
      <form
        onsubmit={(event) => {
          event.preventDefault()
          onsay({ zone: zone.trim() })
        }}
      >
        <input
          class="field w-60"
          list="file-zones"
          placeholder="Europe/Helsinki"
          required
          bind:value={zone}
        />
        <datalist id="file-zones"
          >{#each Intl.supportedValuesOf('timeZone') as name (name)}<option value={name}
            ></option>{/each}</datalist
        >
        <button class="quiet">That one</button>
      </form>
    {/if}
  </fieldset>
{/each}
