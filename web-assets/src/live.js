// Forms whose numbers are tried while they are typed: one step back, back to what is saved, print.
const values = (form) => [...form.elements].filter((field) => field.name && field.type !== 'hidden').map((field) => field.value);

export function bindLive() {
  document.querySelectorAll('form[data-live]').forEach((form) => {
    const saved = values(form);
    const steps = [saved];
    const back = form.querySelector('[data-step-back]');
    const reset = form.querySelector('[data-reset]');
    const shown = () => {
      const same = values(form).every((value, index) => value === saved[index]);
      if (back) back.disabled = steps.length < 2 && same;
      if (reset) reset.disabled = same;
    };
    const put = (step) => {
      [...form.elements].filter((field) => field.name && field.type !== 'hidden').forEach((field, index) => {
        field.value = step[index];
      });
      shown();
      form.dispatchEvent(new CustomEvent('barometer:again', { bubbles: true }));
    };
    form.addEventListener('input', shown);
    // A step is a finished change, not a key.
    form.addEventListener('change', () => {
      steps.push(values(form));
      shown();
    });
    back?.addEventListener('click', () => {
      const now = values(form);
      while (steps.length > 1 && steps.at(-1).every((value, index) => value === now[index])) steps.pop();
      put(steps.at(-1) ?? saved);
    });
    reset?.addEventListener('click', () => {
      steps.push(saved);
      put(saved);
    });
    form.querySelectorAll('input[type="range"]').forEach((range) => {
      const label = document.getElementById(`${range.id}-shown`);
      const show = () => {
        if (label) label.textContent = `${range.dataset.sign && Number(range.value) > 0 ? '+' : ''}${range.value}${range.dataset.unit ?? ''}`;
      };
      range.addEventListener('input', show);
      form.addEventListener('barometer:again', show);
      show();
    });
  });
  document.addEventListener('click', (event) => {
    if (event.target.closest('[data-print]')) window.print();
  });
}
