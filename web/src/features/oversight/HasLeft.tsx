/** A holder has left: what is in their hands waits to be handed on or retired, and no promise counts it meanwhile. */
import { useState } from 'react';
import Button from 'react-bootstrap/Button';

import type { Schemas } from '../../api/client';
import { useMay } from '../../api/may';
import { LetLeave } from '../../parts/leaving/LetLeave';
import { useDevicesSaving } from '../../parts/leaving/devices';
import { counted } from '../../ui/format';
import { Confirm } from '../../ui/forms/Confirm';
import { Refused } from '../../ui/States';

export function HasLeft({ holder }: { holder: Schemas['HolderDetail'] }) {
  const may = useMay();
  const [asking, setAsking] = useState(false);
  const ids = holder.rows.filter((row) => !['left', 'lost', 'retired'].includes(row.device_state)).map((row) => row.id);
  const save = useDevicesSaving(ids, () => setAsking(false));
  if (!may('set_up') || ids.length === 0) return null;
  return (
    <>
      <Refused problem={save.problem} />
      <Button size="sm" variant="outline-primary" className="mt-3" onClick={() => setAsking(true)}>
        This person has left …
      </Button>
      {asking && !save.shown && (
        <Confirm
          title={`${holder.name} has left?`}
          action={`Leave ${counted(ids.length, 'device')} behind`}
          onCancel={() => setAsking(false)}
          onConfirm={() => {
            setAsking(false);
            save.go({ values_told: { state: 'left' } });
          }}
        >
          <p>
            Their promise is not counted any more, and the rule for retired, lost and leavers’ devices speaks of them, from today on. Hand
            each on, or retire it, when its last backup is there.
          </p>
        </Confirm>
      )}
      <LetLeave save={save} />
    </>
  );
}
