/** The part of an address that invites. */
export const INVITATION = 'invitation';
