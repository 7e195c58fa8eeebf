import { useEffect, useRef } from "react";
import { useLocation, useNavigate } from "react-router";

/** Remembers where the person is; what is given back goes somewhere once an answer is there, unless the person has gone elsewhere meanwhile. */
export function useLateGo() {
  const go = useNavigate();
  const location = useLocation();
  const now = useRef(location.pathname);
  useEffect(() => {
    now.current = location.pathname;
  }, [location.pathname]);
  return () => {
    const from = now.current;
    return (to: string) => {
      if (now.current === from) void go(to);
    };
  };
}
