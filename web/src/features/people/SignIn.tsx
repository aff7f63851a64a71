// The form that lets somebody in, and the one that takes an invitation up.
import { useState, type FormEvent, type ReactNode } from 'react';
import { client, problemOf, unwrap, type Me, type Problem } from '../../api/client';
import { INVITATION } from './invitation';
import { comeIn, useInvitation } from './requests';
import './people.css';

function Page({ title, over, children }: { title: string; over?: boolean; children: ReactNode }) {
  return (
    <div
      className={over ? 'way-in over' : 'way-in'}
      role={over ? 'dialog' : undefined}
      aria-modal={over || undefined}
      aria-label={over ? title : undefined}
    >
      <main>
        <h1 className="logo">
          nexorem<span className="signal">/</span>
        </h1>
        <h2>{title}</h2>
        {children}
      </main>
    </div>
  );
}

/** A form that asks once, and says what is wrong with it. */
function Asking({ button, ask, children }: { button: string; ask: () => Promise<unknown>; children: ReactNode }) {
  const [problem, setProblem] = useState<Problem | null>(null);
  const [busy, setBusy] = useState(false);
  const submit = async (event: FormEvent) => {
    event.preventDefault();
    setBusy(true);
    try {
      await ask();
      setProblem(null);
    } catch (error) {
      setProblem(problemOf(error));
    }
    setBusy(false);
  };
  return (
    <form onSubmit={(e) => void submit(e)}>
      {children}
      {problem && (
        <div role="alert" className="signal">
          {problem.errors.length === 0 && problem.detail}
          {problem.errors.map((e) => (
            <p key={e.code + e.in}>
              {e.message} {e.mend}
            </p>
          ))}
        </div>
      )}
      <button type="submit" className="pill solid" disabled={busy}>
        {button}
      </button>
    </form>
  );
}

export function SignIn({ me, over }: { me: Me; over: boolean }) {
  const [email, setEmail] = useState('');
  const [password, setPassword] = useState('');
  if (me.mode !== 'team')
    return (
      <Page title="This browser is not let in yet" over={over}>
        <p>
          Open the address that Nexorem printed when it started; it lets one browser in. For another one, run <code>nexorem address</code>.
        </p>
        <button type="button" className="pill" onClick={() => void comeIn()}>
          Look again
        </button>
      </Page>
    );
  return (
    <Page title={over ? 'Your session has ended' : 'Sign in'} over={over}>
      {over && <p>What you typed is still here. Sign in again and go on.</p>}
      <Asking
        button="Sign in"
        ask={async () => {
          unwrap(await client.POST('/api/sign_in', { body: { email, password } }));
          await comeIn();
        }}
      >
        <label>
          E-mail address
          <input className="field" type="email" autoComplete="username" required value={email} onChange={(e) => setEmail(e.target.value)} />
        </label>
        <label>
          Password
          <input
            className="field"
            type="password"
            autoComplete="current-password"
            required
            value={password}
            onChange={(e) => setPassword(e.target.value)}
          />
        </label>
      </Asking>
      {me.provider && (
        <p>
          <a className="pill" href="/api/provider">
            Come in by {me.provider}
          </a>
        </p>
      )}
      <p className="quiet">No account? Who looks after a model can invite you into it.</p>
    </Page>
  );
}

/** What an invitation leads to. */
function withoutInvitation(): string {
  const here = new URL(window.location.href);
  here.searchParams.delete(INVITATION);
  return here.href;
}

export function Invited({ invitation }: { invitation: string }) {
  const told = useInvitation(invitation);
  const [name, setName] = useState('');
  const [password, setPassword] = useState('');
  if (told.isPending) return <p className="pad wait">Reading the invitation…</p>;
  if (told.isError)
    return (
      <Page title="This invitation is over">
        <p>{problemOf(told.error).detail}</p>
        <a href="/">Sign in</a>
      </Page>
    );
  const { email, model, role, by, known } = told.data;
  return (
    <Page title={model ? `You are invited into ${model}` : 'You are invited'}>
      <p>
        {by} invites {email}
        {role && ` as ${role}`}. {known ? 'Sign in to take the invitation up.' : 'Say who you are, and choose a password.'}
      </p>
      <Asking
        button={known ? 'Sign in' : 'Make the account'}
        ask={async () => {
          unwrap(await client.POST('/api/invitations/accept', { body: { key: invitation, name, password } }));
          window.location.assign(withoutInvitation());
        }}
      >
        <input type="email" autoComplete="username" value={email} readOnly hidden />
        {!known && (
          <label>
            Name
            <input className="field" autoComplete="name" required value={name} onChange={(e) => setName(e.target.value)} />
          </label>
        )}
        <label>
          Password
          <input
            className="field"
            type="password"
            autoComplete={known ? 'current-password' : 'new-password'}
            required
            value={password}
            onChange={(e) => setPassword(e.target.value)}
          />
        </label>
      </Asking>
    </Page>
  );
}
