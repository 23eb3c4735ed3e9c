import type { Hit, Scan } from '$lib/api'

/** A scan with what its history knows: on how many bars in a row those have been hits of which the counts only know that it is more. */
export function withRuns(scan: Scan | null, runs: Record<string, number> | undefined): Scan | null {
  if (!scan || !runs || !scan.hits.some((hit) => hit.longer && hit.symbol in runs)) return scan
  const known = (hit: Hit) => ({ ...hit, days: runs[hit.symbol]!, longer: false })
  return { ...scan, hits: scan.hits.map((hit) => (hit.longer && hit.symbol in runs ? known(hit) : hit)) }
}
