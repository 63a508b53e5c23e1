// A session that has ended is told in place, and what was typed stays until one is signed in again.
const NOTICE = "session-notice";

const ask = async () => (await fetch("/session", { headers: { Accept: "application/json" } })).json();

// Was an answer the page to sign in, in place of what was asked for?
export const isOver = (answer) => answer.redirected && new URL(answer.url).pathname === "/sign-in";

export const tellOver = () => {
  if (document.getElementById(NOTICE)) return;
  const note = document.createElement("p");
  note.id = NOTICE;
  note.className = "note note-fail session-note";
  note.setAttribute("role", "alert");
  const link = document.createElement("a");
  link.href = "/sign-in";
  link.target = "_blank";
  link.textContent = "Sign in again in a new tab";
  note.append("You are signed out. ", link, ", then come back: what you typed here stays.");
  document.body.prepend(note);
};

// Resolves when somebody is signed in again.
export const signedInAgain = () => new Promise((resolve) => document.addEventListener("brisk:signed-in", resolve, { once: true }));

const lookAgain = async () => {
  const note = document.getElementById(NOTICE);
  if (!note || document.hidden) return;
  try {
    if (!(await ask()).signedIn) return;
  } catch {
    return; // the next look tells
  }
  note.remove();
  document.dispatchEvent(new Event("brisk:signed-in"));
};
const begin = () => {
  window.addEventListener("focus", lookAgain);
  document.addEventListener("visibilitychange", lookAgain);

  // A form is sent only by somebody who is signed in, and with the token of now: another tab may have signed in anew.
  document.addEventListener("submit", async (event) => {
    const form = event.target;
    const token = form.querySelector("input[name=csrfmiddlewaretoken]");
    if (form.method !== "post" || !token || form.dataset.asked || !document.querySelector(".rail")) return;
    event.preventDefault();
    if (form.dataset.asking) return; // a second press while the first is asked about
    form.dataset.asking = "yes";
    const { submitter } = event;
    try {
      const state = await ask();
      if (!state.signedIn) {
        tellOver();
        return;
      }
      token.value = state.token;
    } catch {
      // No answer: sending the form will tell why.
    } finally {
      delete form.dataset.asking;
    }
    form.dataset.asked = "yes";
    form.requestSubmit(submitter);
    delete form.dataset.asked;
  });
};
if (globalThis.document) begin(); // parts of pages are tested without one
