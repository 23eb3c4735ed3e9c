import { QueryObserver } from '@tanstack/svelte-query'
import { expect, it } from 'vitest'
import { client, forget } from './queries'

it('does not take an answer that was on its way for the one after a change', async () => {
  const answers: ((value: string) => void)[] = []
  const observer = new QueryObserver(client, {
    queryKey: ['rules'],
    queryFn: () => new Promise<string>((resolve) => answers.push(resolve)),
  })
  const end = observer.subscribe(() => {})
  const forgotten = forget('rules')
  await new Promise((resolve) => setTimeout(resolve))
  expect(answers).toHaveLength(2)
  answers[0]!('before')
  answers[1]!('after')
  await forgotten
  expect(observer.getCurrentResult().data).toBe('after')
  end()
})
