import { fireEvent, render, screen } from '@testing-library/svelte'
import { beforeEach, expect, it, vi } from 'vitest'
import NumberField from './NumberField.svelte'
import { preferences } from './preferences.svelte'

vi.mock('./api', () => ({ api: { keepPreferences: () => Promise.resolve() }, sentence: String }))

beforeEach(() => {
  preferences.now = { ...preferences.now, account: { ...preferences.now.account, decimals: '' } }
})

async function type(text: string, props: Record<string, unknown> = {}) {
  const onvalue = vi.fn()
  render(NumberField, { value: 5, onvalue, label: 'Price', ...props })
  const field = screen.getByRole('spinbutton', { name: 'Price' }) as HTMLInputElement
  await fireEvent.input(field, { target: { value: text } })
  await fireEvent.keyDown(field, { key: 'Enter' })
  return { onvalue, field }
}

it('takes a decimal comma for what it is', async () => {
  const { onvalue } = await type('13,20')
  expect(onvalue).toHaveBeenCalledWith(13.2)
})

it('asks what can be read two ways, and remembers the answer', async () => {
  const { onvalue, field } = await type('1,234')
  expect(onvalue).not.toHaveBeenCalled()
  expect(screen.getByRole('alert').textContent).toContain('two ways')
  await fireEvent.click(screen.getByRole('button', { name: '1,234' }))
  expect(onvalue).toHaveBeenCalledWith(1.234)
  expect(preferences.now.account.decimals).toBe('comma')
  await fireEvent.input(field, { target: { value: '2.500' } })
  await fireEvent.keyDown(field, { key: 'Enter' })
  expect(onvalue).toHaveBeenLastCalledWith(2500)
})

it('says what is no number and what is out of bounds, and keeps what was typed', async () => {
  const { onvalue, field } = await type('twelve', { max: 10 })
  expect(screen.getByRole('alert').textContent).toContain('“twelve” is not a number')
  expect(field.value).toBe('twelve')
  await fireEvent.input(field, { target: { value: '12' } })
  await fireEvent.keyDown(field, { key: 'Enter' })
  expect(screen.getByRole('alert').textContent).toContain('At most 10')
  expect(onvalue).not.toHaveBeenCalled()
})

it('does not lose what is being typed when the value beneath it changes', async () => {
  const onvalue = vi.fn()
  const { rerender } = render(NumberField, { value: 5, onvalue, label: 'Price' })
  const field = screen.getByRole('spinbutton') as HTMLInputElement
  await fireEvent.input(field, { target: { value: '7.2' } })
  await rerender({ value: 6, onvalue, label: 'Price' })
  expect(field.value).toBe('7.2')
  await fireEvent.blur(field)
  expect(onvalue).toHaveBeenCalledWith(7.2)
})
