/** Days as text, 2024-06-28. */

/** The day a week or a month away; the end of a shorter month for the days it lacks. */
export function moved(day: string, by: number, unit: 'week' | 'month'): string {
  const date = new Date(`${day}T00:00:00Z`)
  if (unit === 'week') date.setUTCDate(date.getUTCDate() + 7 * by)
  else {
    const wanted = date.getUTCDate()
    date.setUTCDate(1)
    date.setUTCMonth(date.getUTCMonth() + by)
    const last = new Date(Date.UTC(date.getUTCFullYear(), date.getUTCMonth() + 1, 0)).getUTCDate()
    date.setUTCDate(Math.min(wanted, last))
  }
  return date.toISOString().slice(0, 10)
}
