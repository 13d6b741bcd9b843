// Put into a copy of a report: measures what a person would see, and sends it to the page around it.
addEventListener('load', () => {
  const root = document.documentElement;
  const numbers = colour => colour.match(/[\d.]+/g).map(Number);
  const light = ([r, g, b]) => {
    const [x, y, z] = [r, g, b].map(part => part / 255).map(part => part <= 0.04045 ? part / 12.92 : ((part + 0.055) / 1.055) ** 2.4);
    return 0.2126 * x + 0.7152 * y + 0.0722 * z;
  };
  const behind = element => {
    for (let at = element; at; at = at.parentElement) {
      const box = at.tagName === 'a' && at.querySelector('rect');
      const colour = numbers(box ? getComputedStyle(box).fill : getComputedStyle(at).backgroundColor);
      if (colour.length < 4 || colour[3] > 0) return colour;
    }
    return [255, 255, 255];
  };
  const faint = [];
  for (const element of document.body.querySelectorAll('*')) {
    const says = [...element.childNodes].some(node => node.nodeType === 3 && node.data.trim());
    if (!says || ['title', 'desc', 'STYLE', 'SCRIPT'].includes(element.tagName)) continue;
    const style = getComputedStyle(element);
    const [ink, paper] = [element.tagName === 'text' ? style.fill : style.color].map(numbers).concat([behind(element)]);
    const [more, less] = [light(ink), light(paper)].sort((a, b) => b - a);
    const contrast = (more + 0.05) / (less + 0.05);
    if (contrast < 4.5) faint.push(`${element.tagName}.${element.getAttribute('class')} ${contrast.toFixed(2)}`);
  }
  const note = { wide: root.scrollWidth, window: innerWidth, faint: [...new Set(faint)], dark: matchMedia('(prefers-color-scheme: dark)').matches };
  parent.postMessage(JSON.stringify(note), '*');
});
