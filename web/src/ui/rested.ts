/** A value that is being changed, as it was when it last rested: for questions that follow what somebody types. */
import { useEffect, useState } from 'react';

export function useRested<Value>(value: Value, rest = 300): Value {
  const [rested, setRested] = useState(value);
  useEffect(() => {
    const timer = setTimeout(() => setRested(value), rest);
    return () => clearTimeout(timer);
  }, [value, rest]);
  return rested;
}
