// A page's device makes a passkey, or signs with one; the form takes the answer along.
const TOLD = {
  InvalidStateError: "This device has a passkey of yours already.",
  NotAllowedError: "Nothing was confirmed, or it took too long. Ask again when your device is ready.",
  SecurityError: "Browsers make no passkeys for the address that is open here.",
};

// A sentence for what came of asking a device.
export const why = (error) => TOLD[error.name] ?? `Your browser could not do it: ${error.message}`;

const ask = async (form) => {
  const options = JSON.parse(form.dataset.options);
  if (form.dataset.passkey === "create") {
    return navigator.credentials.create({ publicKey: PublicKeyCredential.parseCreationOptionsFromJSON(options) });
  }
  return navigator.credentials.get({ publicKey: PublicKeyCredential.parseRequestOptionsFromJSON(options) });
};

const begin = (form) => {
  const says = form.querySelector("[data-passkey-says]");
  const again = form.querySelector("[data-passkey-again]");
  const run = async () => {
    says.textContent = "Waiting for your device.";
    again.disabled = true;
    try {
      form.elements.answer.value = JSON.stringify((await ask(form)).toJSON());
      form.requestSubmit();
    } catch (error) {
      says.textContent = why(error);
      again.disabled = false;
    }
  };
  if (!globalThis.PublicKeyCredential?.parseRequestOptionsFromJSON) {
    says.textContent = "This browser knows no passkeys, or makes none for the address that is open here.";
    again.hidden = true;
    return;
  }
  again.addEventListener("click", run);
  run();
};

if (globalThis.document) document.querySelectorAll("form[data-passkey]").forEach(begin); // tested without a page
