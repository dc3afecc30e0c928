// Passkeys: the server says what is asked for, the browser's own dialog answers, and the answer goes back with the form.
const asked = async form => {
  const answer = await fetch(form.dataset.options, { method: 'POST', body: new FormData(form), headers: { 'HX-Request': 'true' } });
  if (!answer.ok) throw new Error('The server did not answer. Reload the page and try again.');
  return answer.json();
};

const said = error =>
  error.name === 'NotAllowedError' ? 'Nothing was chosen, or it took too long. Try again.'
    : error.name === 'InvalidStateError' ? 'This device has a passkey for you already.'
      : error.message;

export const passkey = () => ({
  problem: '',
  // Browsers have passkeys for names alone, not for numbers.
  offered: Boolean(window.PublicKeyCredential?.parseCreationOptionsFromJSON) && !/^[\d.]+$|:/.test(location.hostname),
  missing: true,
  init() {
    this.missing = !this.offered;
  },
  async make() {
    await this.with(async form =>
      navigator.credentials.create({ publicKey: PublicKeyCredential.parseCreationOptionsFromJSON(await asked(form)) }));
  },
  async use() {
    await this.with(async form =>
      navigator.credentials.get({ publicKey: PublicKeyCredential.parseRequestOptionsFromJSON(await asked(form)) }));
  },
  async with(dialog) {
    const form = this.$root;
    try {
      this.problem = '';
      form.elements.credential.value = JSON.stringify(await dialog(form));
      form.submit();
    } catch (error) {
      this.problem = said(error);
    }
  },
});
