'use strict';

/* A button beside each text that is there to be carried away. */
function addCopyButtons(root) {
  for (const box of root.querySelectorAll('.copied')) {
    const button = document.createElement('button');
    button.type = 'button';
    button.textContent = 'Copy';
    button.addEventListener('click', () => copyText(box.querySelector('pre'), button));
    box.prepend(button);
  }
}

/* By the clipboard, or, where a page may not have it, by a selection. */
async function copyText(from, button) {
  try {
    await navigator.clipboard.writeText(from.textContent);
  } catch (refused) {
    const selection = window.getSelection();
    selection.selectAllChildren(from);
    document.execCommand('copy');
    selection.removeAllRanges();
  }
  button.textContent = 'Copied';
  setTimeout(() => { button.textContent = 'Copy'; }, 1500);
}

addCopyButtons(document);
