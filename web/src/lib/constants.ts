/* Made by `make docs` from the code; do not edit. */

/** Bars a chart holds at most. */
export const CHART_BARS = 4000

/** Columns a table has at most. */
export const MOST_COLUMNS = 24

/** The usual cost of an order, a fraction a side. */
export const COST = 0.001

/** The same, of an index. */
export const INDEX_COST = 0.0002

/** Whose bars a chart can draw, the shortest first. */
export const CHART_FRAMES = [
  "5min",
  "15min",
  "30min",
  "65min",
  "day",
  "week",
  "month"
] as const

/** Those of which several make a day. */
export const WITHIN_DAY = [
  "5min",
  "15min",
  "30min",
  "65min"
] as const

/** What an account has chosen until it chooses. */
export const USUAL_PREFERENCES = {
  "account": {
    "size": null,
    "risk": 0.01,
    "most": 0.25,
    "of_day": 0.01,
    "sector": 0.3,
    "open_risk": 0.06,
    "cost": 0.001,
    "currency": "",
    "decimals": "",
    "dates": "28 Jun 2024",
    "near": 0.5,
    "deposits": []
  },
  "notify": false,
  "table": null,
  "tables": {},
  "chart": {
    "frame": "day",
    "months": 6,
    "sessions": 2,
    "log": true,
    "panes": []
  },
  "layout": {
    "rule_width": null,
    "table_share": null
  }
}

/** The queries whose answers each kind of event makes stale. */
export const STALE_AFTER = {
  "market": [
    "market",
    "catalogue",
    "bars",
    "rules",
    "data",
    "alerts",
    "bench"
  ],
  "compiling": [
    "market"
  ],
  "rules": [
    "rules"
  ],
  "books": [
    "books"
  ],
  "lists": [
    "lists",
    "bars"
  ],
  "data": [
    "data"
  ],
  "breadths": [
    "breadths",
    "bars",
    "rules"
  ],
  "alerts": [
    "alerts"
  ],
  "bench": [
    "bench"
  ],
  "everything": [
    "alerts",
    "bars",
    "bench",
    "books",
    "breadths",
    "catalogue",
    "data",
    "jobs",
    "lists",
    "market",
    "rules"
  ]
} as const

/** What came of a signal, in words. */
export const OUTCOMES = {
  "traded": "traded",
  "no_slot": "no slot free",
  "filtered": "market filter shut",
  "unfilled": "order not filled",
  "held": "held already",
  "no_cash": "not enough money",
  "no_bar": "no bar that session",
  "unsized": "no size could be told",
  "waiting": "for the next session"
} as const

/** Why a trade ended, in words. */
export const REASONS = {
  "stop": "stop",
  "follow": "trailing stop",
  "target": "target",
  "exit": "exit rule",
  "delisted": "delisted",
  "left": "left the universe",
  "out": "market condition",
  "end": "still open"
} as const
