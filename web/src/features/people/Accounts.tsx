// Everybody who has an account, for who looks after the installation.
import { useState } from 'react';
import { ToldOnce } from './PeopleDialog';
import { inviteAccount, removeAccount, useAccounts, useAsked } from './requests';

export function Accounts({ own }: { own: number | null }) {
  const people = useAccounts();
  const [email, setEmail] = useState('');
  const [right, setRight] = useState<'opens' | 'operator'>('opens');
  const ask = useAsked(inviteAccount, ['accounts']);
  const remove = useAsked(removeAccount, ['accounts', 'people']);
  if (!people.data) return <p className="pad wait">{people.error?.message ?? 'Looking…'}</p>;
  return (
    <div className="people-part">
      <form
        className="people-form"
        onSubmit={(e) => {
          e.preventDefault();
          ask.mutate({ email, operator: right === 'operator', opens: true });
        }}
      >
        <label>
          E-mail address
          <input className="field" type="email" required value={email} onChange={(e) => setEmail(e.target.value)} />
        </label>
        <label>
          May
          <select className="field" value={right} onChange={(e) => setRight(e.target.value === 'operator' ? 'operator' : 'opens')}>
            <option value="opens">open models of their own</option>
            <option value="operator">operate: all models, all accounts</option>
          </select>
        </label>
        <button type="submit" className="pill solid small" disabled={ask.isPending}>
          Invite
        </button>
      </form>
      {ask.data && <ToldOnce what="Send them this address" text={ask.data} />}
      <table className="people-list">
        <tbody>
          {people.data.map((p) => (
            <tr key={p.id}>
              <td>
                <b>{p.name}</b> <span className="quiet">{p.email}</span>
              </td>
              <td>{p.operator ? 'operator' : p.opens ? 'opens models' : 'member'}</td>
              <td>
                {p.id !== own && (
                  <button
                    type="button"
                    className="plain"
                    aria-label={`Remove the account of ${p.name}`}
                    onClick={() => remove.mutate(p.id)}
                  >
                    Remove
                  </button>
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}
