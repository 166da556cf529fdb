/** The session of whoever is signed in. It may end while the page is open: nothing is lost, and it goes on after signing in again. */

type Hear = () => void;

function bell(): { ring: () => void; hear: (hear: Hear) => () => void } {
  const heard = new Set<Hear>();
  return {
    ring: () => heard.forEach((hear) => hear()),
    hear: (hear) => {
      heard.add(hear);
      return () => heard.delete(hear);
    },
  };
}

const end = bell();
const again = bell();

/** The server knows the visitor no longer. */
export const sessionEnded = end.ring;
/** Until the function that comes back is called. */
export const onSessionEnd = end.hear;
/** Somebody is signed in once more. */
export const sessionGoesOn = again.ring;
export const onSessionGoesOn = again.hear;
