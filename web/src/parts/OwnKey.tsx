/** The line that another computer has to know, so that this server may sign in there; the private half never leaves the server. */
import { useQuery } from '@tanstack/react-query';

import { client, problemOf, told } from '../api/client';
import { key } from '../api/keys';
import { Failed, Loading } from '../ui/States';

export function OwnKey({ of }: { of: string }) {
  const own = useQuery({ queryKey: key('ssh-key'), queryFn: () => told(client.POST('/api/ssh-key')), staleTime: Infinity });
  if (own.isPending) return <Loading what="the key" />;
  if (own.isLoadingError) return <Failed problem={problemOf(own.error)} onRetry={() => void own.refetch()} />;
  return (
    <div className="field">
      <label className="form-label" htmlFor="own-key">
        Put this line among the authorized keys of {of}
      </label>
      <textarea
        id="own-key"
        className="form-control mono"
        rows={3}
        readOnly
        value={own.data.public}
        onFocus={(event) => event.target.select()}
      />
    </div>
  );
}
