/** Words for what a run tells by a name. */
import type { BookTrade, Schemas } from '$lib/api'

type Outcome = keyof Schemas['SignalCounts']
export const OUTCOMES: Record<Outcome, string> = {
  traded: 'traded',
  no_slot: 'no slot free',
  filtered: 'market filter shut',
  unfilled: 'order not filled',
  held: 'held already',
  no_cash: 'not enough money',
  no_bar: 'no bar that session',
  unsized: 'no size could be told',
  waiting: 'for the next session',
}
export const REASONS: Record<BookTrade['reason'], string> = {
  stop: 'stop',
  follow: 'stop that followed',
  target: 'target',
  exit: 'exit rule',
  delisted: 'delisted',
  left: 'left the universe',
  out: 'market condition',
  end: 'still open',
}
/** What each figure means, said where it stands. */
export const MEANS: Record<string, string> = {
  annual:
    'Growth of the account a year, by calendar days over 365.25; below it the 95% interval from 1,000 paths of its days drawn again in blocks',
  worst_fall: 'The deepest fall of the equity from its highest so far, by closes',
  mar: 'Annual return over the worst fall',
  exposure: 'The mean share of equity in positions',
  win_rate: 'Share of ended positions with a gain after costs; the interval draws whole days of entries',
  expectancy_r: 'Mean result of an ended position in multiples of its risk, from the entry to the first stop',
}
