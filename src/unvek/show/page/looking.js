"use strict";
// Ways to look at outputs that every page has: zoom that moves several together, words that differ, what pictures differ by.
const looking = (() => {
  const ZOOM = 4;
  const MOST_WORDS = 3000;
  const within = (value) => Math.max(0, Math.min(1, value));

  // Which words of each are in a longest common run of words.
  function inCommon(ours, theirs) {
    const width = theirs.length + 1;
    const longest = new Uint16Array((ours.length + 1) * width);
    for (let i = ours.length - 1; i >= 0; i--) {
      for (let j = theirs.length - 1; j >= 0; j--) {
        longest[i * width + j] = ours[i] === theirs[j]
          ? longest[(i + 1) * width + j + 1] + 1
          : Math.max(longest[(i + 1) * width + j], longest[i * width + j + 1]);
      }
    }
    const found = [new Array(ours.length).fill(false), new Array(theirs.length).fill(false)];
    for (let i = 0, j = 0; i < ours.length && j < theirs.length;) {
      if (ours[i] === theirs[j]) found[0][i++] = found[1][j++] = true;
      else if (longest[(i + 1) * width + j] >= longest[i * width + j + 1]) i++;
      else j++;
    }
    return found;
  }

  // Mark in two texts the words that only one of them has; take the marks away where they are not wanted.
  function markWords(texts, isWanted) {
    const words = texts.map((text) => text.textContent.split(/(\s+)/));
    for (const text of texts) text.replaceChildren(text.textContent);
    if (!isWanted || texts.length !== 2 || words.some((list) => list.length > MOST_WORDS)) return;
    const common = inCommon(...words);
    texts.forEach((text, side) => {
      text.replaceChildren(...words[side].map((word, place) => {
        if (common[side][place] || !word.trim()) return word;
        const mark = document.createElement("mark");
        mark.textContent = word;
        return mark;
      }));
    });
  }

  // Where within a view a pointer is, as shares of its width and height.
  function placeIn(view, event) {
    const box = view.getBoundingClientRect();
    return [within((event.clientX - box.left) / box.width), within((event.clientY - box.top) / box.height)];
  }
  function moved(centre, key) {
    const by = { ArrowLeft: [-0.1, 0], ArrowRight: [0.1, 0], ArrowUp: [0, -0.1], ArrowDown: [0, 0.1] }[key];
    return by ? [within(centre[0] + by[0]), within(centre[1] + by[1])] : centre;
  }
  // All pictures are enlarged about the same place: what lies under the pointer in one is shown in the others, too.
  function enlarge(images, isWanted, centre) {
    for (const image of images) {
      image.style.transformOrigin = `${Math.round(centre[0] * 100)}% ${Math.round(centre[1] * 100)}%`;
      image.style.transform = isWanted ? `scale(${ZOOM})` : "";
    }
  }

  // Of what moves, one frame at a time is shown: the views hold a picture a frame, in their order.
  const frameCount = (views) => Math.max(0, ...[...views].map((view) => view.children.length));
  function showFrame(views, at) {
    for (const view of views) {
      [...view.children].forEach((image, place) => {
        image.classList.toggle("now", place === Math.min(at, view.children.length - 1));
      });
    }
  }

  // Draw what two pictures differ by; returns the largest difference of a channel, of 255, which is drawn in full.
  function drawDifference(canvas, one, other) {
    const width = Math.min(one.naturalWidth, other.naturalWidth);
    const height = Math.min(one.naturalHeight, other.naturalHeight);
    if (!width || !height) return null;
    canvas.width = width;
    canvas.height = height;
    const context = canvas.getContext("2d", { willReadFrequently: true });
    const pixels = [one, other].map((image) => {
      context.clearRect(0, 0, width, height);
      context.drawImage(image, 0, 0, width, height);
      return context.getImageData(0, 0, width, height);
    });
    const [ours, theirs] = pixels.map((data) => data.data);
    let most = 0;
    for (let at = 0; at < ours.length; at++) if (at % 4 !== 3) most = Math.max(most, Math.abs(ours[at] - theirs[at]));
    const scale = most ? 255 / most : 0;
    for (let at = 0; at < ours.length; at += 4) {
      for (let channel = 0; channel < 3; channel++) ours[at + channel] = scale * Math.abs(ours[at + channel] - theirs[at + channel]);
      ours[at + 3] = 255;
    }
    context.putImageData(pixels[0], 0, 0);
    return most;
  }

  return { markWords, placeIn, moved, enlarge, frameCount, showFrame, drawDifference };
})();
