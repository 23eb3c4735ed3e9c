/** Whether the server was heard of last, or has gone silent: it is asked again until it answers. */
export const server = $state({ away: false })
