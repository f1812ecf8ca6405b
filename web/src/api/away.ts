import { ref } from 'vue'

/** Whether the last answer was that there is none: from the server, or from the database behind it. */
export const away = ref(false)

/** Milliseconds after which it is worth asking again. */
export const PATIENCE = 2000

/** Whether the status of an answer says to ask again later, nothing having been done; 0 is no answer at all. */
export const saysAway = (status: number) => status === 0 || status === 503
