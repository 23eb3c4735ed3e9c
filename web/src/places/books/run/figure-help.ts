/** Words for what a run tells by a name. */

/** What each figure means, said where it stands. */
export const MEANS: Record<string, string> = {
  annual:
    'Growth of the account a year, by calendar days over 365.25; below it the 95% interval from 1,000 paths of its days drawn again in blocks',
  worst_fall: 'The deepest fall of the equity from its highest before it, by closes',
  mar: 'Annual return over the max drawdown',
  exposure: 'The mean share of equity in positions',
  win_rate: 'Share of ended positions with a gain after costs; the interval draws whole days of entries',
  total: 'What was made over all the days, dividends and costs in it',
  volatility: 'Standard deviation of daily returns × √252',
  sharpe: 'Mean daily return over its standard deviation × √252, at a rate of zero',
  sortino: 'Mean daily return over the root of the mean square of those below zero × √252',
  return_per_exposure: 'Annual return over the share that was invested',
  payoff: 'Mean gain of the positions that won over the mean loss of the others',
  profit_factor: 'Money won over money lost',
  mean_gain: 'Mean result of an ended position over the money it took',
  bars_held: 'Mean number of its own bars from the entry to the last exit',
  turnover: 'Money bought a year over mean equity',
  costs: 'Costs of all orders; slippage is in the fills',
  dividends: 'Paid to longs less what shorts were charged, in the results above',
  worst_cases:
    'Bars that touched a stop and a target, or filled an order on the way up and touched its stop: which came first nobody knows, and the worse was taken',
  expectancy_r: 'Mean result of an ended position in multiples of its risk, from the entry to the first stop',
}
