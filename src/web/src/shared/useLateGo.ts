import { useNavigate } from "react-router";

/** Remembers where the person is; what is given back goes somewhere once an answer is there, unless the person has gone elsewhere meanwhile. The address tells at once where that is; the page that belongs to it may still be on its way. */
export function useLateGo() {
  const go = useNavigate();
  return () => {
    const from = window.location.pathname;
    return (to: string) => {
      if (window.location.pathname === from) void go(to);
    };
  };
}
