/** Passkeys: what a device signs in with; asked for by the browser, kept by the service. */
import { t } from '@lingui/core/macro';
import { queryOptions } from '@tanstack/react-query';
import { ask, send, Trouble, type Me, type PasskeyOut } from './api';

interface Asked {
  options: object;
  ticket: string;
}

export const passkeys = queryOptions({
  queryKey: ['passkeys'],
  queryFn: () => ask<PasskeyOut[]>('/me/passkeys'),
});

/** Whether this browser has them for this address: they are of names, never of numbers. */
export const hasPasskeys = () =>
  typeof PublicKeyCredential !== 'undefined' &&
  'parseCreationOptionsFromJSON' in PublicKeyCredential &&
  !/^[\d.]+$|^\[/.test(window.location.hostname);

/** Has a device make one, and the service keep it under a label. */
export async function addPasskey(label: string): Promise<PasskeyOut> {
  const { options, ticket } = await send<Asked>('POST', '/me/passkeys/asking');
  const publicKey = PublicKeyCredential.parseCreationOptionsFromJSON(options as PublicKeyCredentialCreationOptionsJSON);
  const made = await fromDevice(navigator.credentials.create({ publicKey }));
  return send<PasskeyOut>('POST', '/me/passkeys', { ticket, label, credential: made.toJSON() });
}

/** Signs in with whichever passkey of this service a device holds. */
export async function enterByPasskey(): Promise<Me> {
  const { options, ticket } = await send<Asked>('POST', '/session/passkey/asking');
  const publicKey = PublicKeyCredential.parseRequestOptionsFromJSON(options as PublicKeyCredentialRequestOptionsJSON);
  const told = await fromDevice(navigator.credentials.get({ publicKey }));
  return send<Me>('POST', '/session/passkey', { ticket, credential: told.toJSON() });
}

async function fromDevice(asked: Promise<Credential | null>): Promise<PublicKeyCredential> {
  try {
    const found = await asked;
    if (found instanceof PublicKeyCredential) return found;
  } catch {
    // the person turned it down, or no device answered in time
  }
  throw new Trouble('no-passkey', t`No device answered with a passkey.`, t`Try again, or use the password.`, 0);
}
