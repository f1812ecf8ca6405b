import type { Schemas } from '@/api/client'

/** A kind of thing that a site asks for. */
export type WayIn = 'token' | 'password' | 'keys' | 'client'

/** A sign-in as it is typed. */
export interface SignInTyped {
  token: string
  user: string
  password: string
  keys: { name: string; value: string }[]
  client_id: string
  client_secret: string
}

export const blank = (): SignInTyped => ({
  token: '',
  user: '',
  password: '',
  keys: [{ name: '', value: '' }],
  client_id: '',
  client_secret: '',
})

/** What is sent to sign in where a site asks for nothing. */
export const nothing: Schemas['SignIn'] = {
  token: '',
  user: '',
  password: '',
  keys: {},
  client_id: '',
  client_secret: '',
}

/** A sign-in as it is sent; none where nothing was typed. */
export function signInOf(typed: SignInTyped): Schemas['SignIn'] | null {
  const keys = Object.fromEntries(typed.keys.filter((key) => key.name && key.value).map((key) => [key.name, key.value]))
  const { token, user, password, client_id, client_secret } = typed
  const given = { token, user, password, keys, client_id, client_secret }
  return token || user || password || client_id || client_secret || Object.keys(keys).length ? given : null
}
