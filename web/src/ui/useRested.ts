import { useEffect, useState } from "react";

/** A value as it was when it last stood still for so long: what follows it by much work does not hold up the hand. */
export function useRested<T>(value: T, rest_ms: number): T {
  const [rested, setRested] = useState(value);
  useEffect(() => {
    const timer = setTimeout(() => setRested(() => value), rest_ms);
    return () => clearTimeout(timer);
  }, [value, rest_ms]);
  return rested;
}
