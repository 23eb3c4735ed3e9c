import { render, screen } from '@testing-library/svelte'
import { expect, it } from 'vitest'
import Folder from './Folder.svelte'

it('names a file that was refused twice twice', () => {
  const refused = { name: 'evening.csv', why: 'It has no column date.', at: '2024-06-28T18:00:00Z' }
  render(Folder, { folder: { path: '/data/incoming', waiting: [], asked: [], refused: [refused, refused] } })
  expect(screen.getAllByText('evening.csv')).toHaveLength(2)
})
