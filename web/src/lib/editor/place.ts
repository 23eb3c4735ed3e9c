/** Where a line of the editor stands, in pixels from its top. */
export interface Place {
  top: number
  height: number
}
