// The way in: shown in place of the application, or over it where a session ended meanwhile. What was typed stays behind it.
import { Suspense, lazy, useState, type ReactNode } from 'react';
import { problemOf } from '../../api/client';
import { INVITATION } from './invitation';
import { useMe } from './requests';

const SignIn = lazy(() => import('./SignIn').then((m) => ({ default: m.SignIn })));
const Invited = lazy(() => import('./SignIn').then((m) => ({ default: m.Invited })));

/** Lets nobody past who is not signed in. */
export function WayIn({ children }: { children: ReactNode }) {
  const me = useMe(null);
  const [wasIn, setWasIn] = useState(false);
  const invited = new URLSearchParams(window.location.search).get(INVITATION);
  const signedIn = me.data?.signed_in === true;
  if (signedIn && !wasIn) setWasIn(true);
  if (invited && me.data)
    return (
      <Suspense>
        <Invited key={invited} invitation={invited} />
      </Suspense>
    );
  if (me.isPending) return <p className="pad wait">Looking who is here…</p>;
  if (me.isError && !wasIn) return <p className="pad">{problemOf(me.error).detail}</p>;
  return (
    <>
      {(signedIn || wasIn) && children}
      {me.data && !signedIn && (
        <Suspense>
          <SignIn me={me.data} over={wasIn} />
        </Suspense>
      )}
    </>
  );
}
