// What can be done on a page: tables sort and filter, a bar or column picks what stands beside it, and one picker sets the
// period of all. Nothing is loaded; what comes from data is put in as text. Without this all of it can be read.
"use strict";
(() => {
  const data = JSON.parse(document.getElementById("data").textContent);
  const AT_FIRST = 20; // rows of a long table
  const all = (selector, within = document) => [...within.querySelectorAll(selector)];
  const make = (name, properties = {}, ...children) => {
    const element = Object.assign(document.createElement(name), properties);
    element.append(...children);
    return element;
  };

  // What is picked: a period with its days, and for an attribute its value.
  const state = { period: null, days: null, values: new Map() };

  // Two ranges of days, each "first last", have a day in common.
  const overlap = (a, b) => {
    const [from, until] = a.split(" "), [first, last] = b.split(" ");
    return from <= last && first <= until;
  };

  // Sums of decimals, exactly: as whole numbers of their last place.
  const decimal = (text) => {
    const [whole, part = ""] = text.split(".");
    return { value: BigInt(whole + part), places: part.length };
  };
  const sum = (texts) => {
    const numbers = texts.map(decimal);
    const places = Math.max(0, ...numbers.map((number) => number.places));
    const at = (number) => number.value * 10n ** BigInt(places - number.places);
    return { value: numbers.reduce((all, number) => all + at(number), 0n), places };
  };
  const shown = ({ value, places }, wanted) => {
    if (places > wanted) {
      const unit = 10n ** BigInt(places - wanted), size = value < 0n ? -value : value;
      const rest = (size % unit) * 2n;
      let rounded = size / unit;
      // Half to even, as everywhere else.
      if (rest > unit || (rest === unit && rounded % 2n === 1n)) rounded += 1n;
      value = value < 0n ? -rounded : rounded;
      places = wanted;
    }
    const digits = (value < 0n ? -value : value).toString().padStart(places + 1, "0");
    const whole = digits.slice(0, digits.length - places).replace(/\B(?=(\d{3})+$)/g, ",");
    return (value < 0n ? "-" : "") + whole + (places ? "." + digits.slice(-places) : "");
  };

  // A cell as it sorts: a number where it has one, nothing where it is unknown.
  const exact = (cell) => cell.getAttribute("data-v") ?? cell.textContent.replace(/,/g, "").replace(/ %$/, "").trim();
  const isNumber = (text) => /^-?\d+(\.\d+)?$/.test(text);
  const key = (text) => (text === "·" || text === "" ? null : isNumber(text) ? Number(text) : text);
  const compare = (a, b) => {
    if (a === null || b === null) return (a === null) - (b === null);
    if (typeof a !== typeof b) return typeof a === "number" ? -1 : 1;
    return a < b ? -1 : a > b ? 1 : 0;
  };

  const tables = [];

  // A row of a table. What it says is read when it is needed: a table may have very many.
  class Row {
    #count; #labels; #days; #keys = [];

    constructor(row, count) {
      this.row = row;
      this.#count = count;
      this.level = Number(row.dataset.level ?? 0);
      this.isRest = row.className === "rest" || row.className === "sum";
    }

    get labels() {
      return (this.#labels ??= Array.from({ length: this.#count }, (_, at) => this.row.children[at].textContent));
    }

    get days() { return (this.#days ??= this.row.querySelector("[data-days]")?.dataset.days ?? ""); }

    key(at) {
      if (this.#keys[at] === undefined) {
        const cell = this.row.children[at];
        this.#keys[at] = cell ? key(at < this.#count ? cell.textContent : exact(cell)) : null;
      }
      return this.#keys[at];
    }
  }

  class Table {
    constructor(element) {
      this.element = element;
      this.name = element.dataset.name ?? element.caption.textContent.split(":")[0];
      this.number = element.dataset.table === undefined ? null : Number(element.dataset.table);
      this.periods = this.number === null ? {} : data.tables[this.number];
      this.heads = [...element.tHead.rows[0].cells];
      this.attributes = this.heads.map((head) => JSON.parse(head.dataset.attributes ?? "[]"));
      this.labels = this.attributes.filter((own) => own.length).length;
      this.body = element.tBodies[0] ?? null;
      this.foot = element.tFoot?.rows[0] ?? null;
      this.rows = this.own = this.body ? [...this.body.rows].map((row) => new Row(row, this.labels)) : [];
      this.hasLevels = this.attributes.some((own) => own.length > 1);
      this.total = this.foot ? [...this.foot.cells].map((cell) => [cell.textContent, cell.dataset.v]) : null;
      // Rows have days all or none, but for those that bring others together.
      this.hasRowDays = this.rows.slice(0, 4).some((row) => row.days !== "");
      this.hasDays = this.hasRowDays || this.heads.some((head) => head.dataset.days);
      this.sorted = null;
      this.text = "";
      this.most = AT_FIRST;
      this.made = new Map();
      if (this.body) this.addTools();
      this.heads.forEach((head, at) => this.addSort(head, at));
    }

    // The rows of a period, made of its data when it is first picked.
    madeOf(period) {
      if (!this.made.has(period)) {
        const rows = this.periods[period]?.rows ?? [];
        this.made.set(period, rows.map(([level, isRest, labels, values]) => {
          const row = make("tr", { className: isRest ? "rest" : "" });
          if (level) row.dataset.level = level;
          labels.forEach((label, at) => {
            const cell = make(at ? "td" : "th", { textContent: label, dir: "auto" });
            if (!at) cell.scope = "row";
            row.append(cell);
          });
          values.forEach((value) => row.append(this.cell(value)));
          return new Row(row, this.labels);
        }));
      }
      return this.made.get(period);
    }

    cell(joined) {
      const [text, digits] = joined.split("|");
      const cell = make("td", { textContent: text });
      if (digits) cell.dataset.v = digits;
      return cell;
    }

    addTools() {
      const filter = make("input", { type: "search", placeholder: "filter the rows" });
      filter.setAttribute("aria-label", `Filter the rows of ${this.name}`);
      filter.addEventListener("input", () => { this.text = filter.value.trim().toLowerCase(); this.most = AT_FIRST; this.show(); });
      this.count = make("span", { className: "quiet" });
      this.count.setAttribute("role", "status");
      this.more = make("button", { type: "button", hidden: true });
      this.more.addEventListener("click", () => { this.most *= 5; this.show(); });
      const tools = make("div", { className: "tools" }, filter, this.count, this.more);
      if (this.rows.length < 4) filter.hidden = true;
      this.element.parentElement.before(tools);
    }

    addSort(head, at) {
      if (!this.body || this.rows.length < 2 || !head.textContent) return;
      const button = make("button", { type: "button" }, ...head.childNodes);
      button.addEventListener("click", () => {
        const isAgain = this.sorted?.at === at;
        const first = head.classList.contains("n") ? "descending" : "ascending";
        const other = first === "ascending" ? "descending" : "ascending";
        const order = isAgain && this.sorted.order === first ? other : first;
        this.sorted = isAgain && this.sorted.order === other ? null : { at, order };
        this.heads.forEach((own) => own.removeAttribute("aria-sort"));
        if (this.sorted) head.setAttribute("aria-sort", order);
        this.show();
      });
      head.append(button);
    }

    // The value that a row has of an attribute: its own, or that of the row above it.
    value(row, attribute, above) {
      for (let at = 0; at < this.labels; at += 1) {
        const level = this.attributes[at].indexOf(attribute);
        if (level < 0) continue;
        if (this.attributes[at].length === 1) return row.labels[at];
        return level === row.level ? row.labels[at] : above[level]?.labels[at];
      }
      return undefined;
    }

    isFiltered() {
      const own = [...state.values.keys()].some((attribute) => this.attributes.flat().includes(attribute));
      return this.text !== "" || own || (state.period !== null && this.rows === this.own && this.hasRowDays);
    }

    // The rows that are meant: those that fit, with the rows that they belong to.
    fitting() {
      const levels = this.hasLevels, above = [], keep = new Set();
      if (!levels && !this.isFiltered()) return this.rows;
      for (const row of this.rows) {
        above.length = row.level;
        const line = [...above, row];
        const says = (row) => row.labels.length ? row.labels.join(" ") : row.row.textContent;
        const words = this.text === "" || line.some((own) => says(own).toLowerCase().includes(this.text));
        const values = [...state.values].every(([attribute, value]) => {
          const own = this.value(row, attribute, above);
          return own === undefined || own === value;
        });
        const period = !state.days || !this.hasRowDays || !row.days || overlap(row.days, state.days);
        if (words && values && period) keep.add(row);
        above.push(row);
      }
      if (!levels) return this.rows.filter((row) => keep.has(row));
      // A row above stays for those below it; alone it does not.
      const needed = new Set(), way = [];
      this.rows.forEach((row, at) => {
        way.length = row.level;
        way.push(row);
        const isFinest = !(this.rows[at + 1]?.level > row.level);
        if (isFinest && keep.has(row)) way.forEach((own) => needed.add(own));
      });
      return this.rows.filter((row) => needed.has(row));
    }

    // Rows in order, each level by itself, those that bring others together last.
    inOrder(rows) {
      if (!this.sorted) return rows;
      const { at, order } = this.sorted, sign = order === "ascending" ? 1 : -1;
      const byKey = (a, b) => {
        if (a.isRest !== b.isRest) return a.isRest - b.isRest;
        const one = a.key(at), other = b.key(at);
        return one === null || other === null ? compare(one, other) : sign * compare(one, other);
      };
      if (!this.hasLevels) return [...rows].sort(byKey);
      const tree = [], way = [];
      for (const row of rows) {
        const node = { row, below: [] };
        way.length = row.level;
        (way.at(-1)?.below ?? tree).push(node);
        way.push(node);
      }
      const flat = (nodes) =>
        nodes.sort((a, b) => byKey(a.row, b.row)).flatMap((node) => [node.row, ...flat(node.below)]);
      return flat(tree);
    }

    show() {
      const isDivided = state.period !== null && this.periods[state.period] !== undefined;
      // A period in which a table has no line has no rows.
      const hasPeriods = Object.keys(this.periods).length > 0;
      this.rows = state.period === null || !hasPeriods ? this.own : this.madeOf(state.period);
      const fitting = this.fitting(), ordered = this.inOrder(fitting);
      if (this.body) {
        this.body.replaceChildren(...ordered.slice(0, this.most).map((row) => row.row));
        const isWithin = state.days !== null && this.hasLevels && this.hasRowDays;
        if (this.hasLevels) ordered.forEach((row) => row.row.classList.toggle("only-label", isWithin && !row.days));
      }
      this.showColumns();
      this.showCount(fitting, ordered.length);
      this.showTotal(fitting, isDivided, hasPeriods);
    }

    // Columns of other periods go.
    showColumns() {
      this.heads.forEach((head, at) => {
        if (!head.dataset.days) return;
        const isGone = state.days !== null && !overlap(head.dataset.days, state.days);
        const rows = [...this.element.rows];
        rows.forEach((row) => {
          // The foot has one cell for all labels.
          const place = row === this.foot && this.labels > 1 ? at - this.labels + 1 : at;
          if (row.cells[place]) row.cells[place].hidden = isGone;
        });
      });
    }

    showCount(fitting, count) {
      if (!this.body) return;
      const shownRows = Math.min(count, this.most), number = (value) => value.toLocaleString("en");
      const of = count === this.rows.length ? `${number(count)} rows` : `${number(count)} of ${number(this.rows.length)} rows`;
      const hasPeriod = Object.keys(this.periods).length > 0 || this.hasDays;
      const dates = state.period === null || this.number === null ? "" : hasPeriod ? `, ${state.period}` : ", all dates";
      this.count.textContent = (shownRows < count ? `${number(shownRows)} shown of ${of}` : of) + dates;
      this.more.hidden = shownRows >= count;
      this.more.textContent = `show ${number(Math.min(count, this.most * 5) - shownRows)} more`;
    }

    // The foot: of all rows as it is; of some, the sums of those that add up.
    showTotal(fitting, isDivided, hasPeriods) {
      if (!this.foot) return;
      const cells = [...this.foot.cells], labels = this.labels ? 1 : 0;
      const isFiltered = this.isFiltered();
      const next = (at) => fitting[at + 1]?.level ?? 0;
      const finest = fitting.filter((row, at) => next(at) <= row.level);
      cells.forEach((cell, at) => {
        if (at < labels) {
          cell.textContent = isFiltered ? "rows shown" : isDivided ? `all of ${state.period}` : "all";
          return;
        }
        const head = this.heads[this.labels + at - labels];
        const whole = this.periods[state.period]?.whole[at - labels];
        let [text, digits] = this.total[at];
        if (state.period !== null && hasPeriods) [text, digits] = (whole ?? "·").split("|");
        if (isFiltered) {
          const place = this.labels + at - labels;
          const known = finest.map((row) => exact(row.row.cells[place])).filter(isNumber);
          const adds = head.dataset.places !== undefined && known.length > 0;
          [text, digits] = adds ? [shown(sum(known), Number(head.dataset.places)), undefined] : ["·", undefined];
        }
        cell.textContent = text;
        if (digits === undefined) delete cell.dataset.v; else cell.dataset.v = digits;
      });
    }
  }

  // Bars of a table of one attribute: they show what it shows, and pick a value for all tables.
  class Bars {
    constructor(element) {
      this.element = element;
      this.table = tables.find((table) => table.number === Number(element.dataset.bars));
      this.column = Number(element.dataset.column);
      this.attribute = this.table.attributes[0][0];
      this.list = element.querySelector("ol");
      this.most = this.list.children.length;
      all(".group", this.list).forEach((bar) => this.arm(bar));
    }

    arm(bar) {
      bar.setAttribute("role", "button");
      bar.tabIndex = 0;
      const pick = () => {
        const isPicked = state.values.get(this.attribute) === bar.dataset.key;
        if (isPicked) state.values.delete(this.attribute); else state.values.set(this.attribute, bar.dataset.key);
        show();
      };
      bar.addEventListener("click", pick);
      bar.addEventListener("keydown", (event) => {
        if (event.key === "Enter" || event.key === " ") { event.preventDefault(); pick(); }
      });
    }

    show() {
      if (Object.keys(this.table.periods).length) this.draw();
      all(".group", this.list).forEach((bar) => {
        bar.setAttribute("aria-pressed", String(state.values.get(this.attribute) === bar.dataset.key));
      });
    }

    draw() {
      const place = this.table.labels + this.column;
      const rows = this.table.rows.filter((row) => !row.isRest && typeof row.key(place) === "number");
      rows.sort((a, b) => b.key(place) - a.key(place));
      const values = rows.map((row) => row.key(place));
      const most = Math.max(0, ...values), least = Math.min(0, ...values), span = most - least || 1;
      const whole = this.table.periods[state.period]?.whole[this.column] ?? this.table.total[this.column + 1].join("|");
      const total = Number((whole.split("|")[1] || whole.split("|")[0]).replace(/,/g, ""));
      const focused = document.activeElement?.dataset?.key;
      this.list.replaceChildren(...rows.slice(0, Math.max(this.most, 20)).map((row) => {
        const value = row.key(place), from = Math.min(0, value) - least;
        const fill = make("span", { className: value < 0 ? "fill below" : "fill" });
        fill.style.left = `${(from / span) * 100}%`;
        fill.style.width = `${(Math.abs(value) / span) * 100}%`;
        const label = row.labels.join(", ");
        const share = total ? `${((value / total) * 100).toFixed(1)} %` : "";
        const bar = make("div", { className: "group" },
          make("span", { className: "name", dir: "auto", textContent: label }),
          make("span", { className: "track" }, fill),
          make("span", { className: "amount", textContent: row.row.cells[place].textContent }),
          make("span", { className: "share", textContent: share }));
        bar.dataset.key = label;
        this.arm(bar);
        return make("li", {}, bar);
      }));
      all(".group", this.list).find((bar) => bar.dataset.key === focused)?.focus();
    }
  }

  // A table of shades: of one period it has other values, or fewer columns.
  class Heat {
    constructor(element) {
      this.element = element;
      this.table = tables.find((table) => table.number === Number(element.dataset.heat));
      this.rows = [...element.querySelectorAll("tr")];
    }

    show() {
      const [head, ...rows] = this.rows;
      [...head.cells].forEach((cell, at) => {
        if (!cell.dataset.days) return;
        const isGone = state.days !== null && !overlap(cell.dataset.days, state.days);
        this.rows.forEach((row) => { row.cells[at].hidden = isGone; });
      });
      const own = head.cells[0].textContent;
      rows.forEach((row) => {
        const value = state.values.get(own);
        row.hidden = value !== undefined && value !== row.cells[0].textContent;
      });
      if (Object.keys(this.table.periods).length) this.fill(head, rows);
    }

    fill(head, rows) {
      if (this.element.dataset.column === undefined) return;
      const place = this.table.labels + Number(this.element.dataset.column);
      const found = new Map(), above = [];
      for (const row of this.table.rows) {
        above.length = row.level;
        above.push(row);
        const labels = this.table.labels > 1 ? row.labels : above.map((own) => own.labels[0]);
        if (labels.length > 1) found.set(JSON.stringify(labels), row);
      }
      const turned = (one, other) => found.get(JSON.stringify([one, other])) ?? found.get(JSON.stringify([other, one]));
      const values = [...found.values()].map((row) => Math.abs(row.key(place) ?? 0));
      const most = Math.max(1e-300, ...values);
      rows.forEach((row) => [...row.cells].forEach((cell, at) => {
        if (!at) return;
        const value = turned(row.cells[0].textContent, head.cells[at].textContent)?.key(place) ?? null;
        cell.textContent = value === null ? "·" : Math.round(value).toLocaleString("en");
        const shade = value === null || value === 0 ? 0 : Math.min(6, Math.max(1, Math.floor((Math.abs(value) / most) * 6)));
        if (value === null) delete cell.dataset.shade; else cell.dataset.shade = (value < 0 ? "-" : "") + shade;
      }));
    }
  }

  // Columns through time pick their period; arrows lead from one to the next.
  const columnsOf = (figure) => {
    const columns = all(".column", figure);
    const known = new Map(data.periods.map(([period, days]) => [period, days]));
    const pickable = columns.filter((column) => known.has(column.dataset.period));
    pickable.forEach((column, at) => {
      column.setAttribute("role", "button");
      column.setAttribute("tabindex", at ? "-1" : "0");
      const pick = () => setPeriod(state.period === column.dataset.period ? null : column.dataset.period);
      column.addEventListener("click", pick);
      column.addEventListener("keydown", (event) => {
        const step = { ArrowRight: 1, ArrowLeft: -1 }[event.key];
        if (step && pickable[at + step]) {
          column.setAttribute("tabindex", "-1");
          pickable[at + step].setAttribute("tabindex", "0");
          pickable[at + step].focus();
        }
        if (step || event.key === "Enter" || event.key === " ") event.preventDefault();
        if (event.key === "Enter" || event.key === " ") pick();
      });
    });
    return () => columns.forEach((column) => {
      const isIn = state.days === null || overlap(column.dataset.days, state.days);
      column.classList.toggle("off", !isIn);
      if (known.has(column.dataset.period)) {
        column.setAttribute("aria-pressed", String(column.dataset.period === state.period));
      }
    });
  };

  // The figures of the period; of all dates, those of the last year.
  const figuresOf = (element) => {
    const own = data.facts[Number(element.dataset.fact)];
    const last = Object.keys(own).filter((period) => period.length === 4).sort().at(-1);
    const headline = element.querySelector(".period"), cards = all(".cards li", element);
    return () => {
      const figures = own[state.period ?? last];
      headline.textContent = figures ? figures.headline : `No lines in ${state.period}.`;
      cards.forEach((card, at) => {
        const [value, change] = figures?.cards[at] ?? ["·", ""];
        card.querySelector(".value").textContent = value;
        card.querySelector(".change").textContent = change;
      });
    };
  };

  const picker = make("select", { id: "period" });
  const picked = make("span", { className: "picked" });
  picked.setAttribute("role", "status");
  const clear = make("button", { type: "button", textContent: "show all again", hidden: true });
  const setPeriod = (period) => {
    state.period = period;
    state.days = data.periods.find(([own]) => own === period)?.[1] ?? null;
    picker.value = period ?? "";
    show();
  };
  clear.addEventListener("click", () => { state.values.clear(); setPeriod(null); picker.focus(); });

  const addControls = () => {
    const controls = document.getElementById("controls");
    if (data.periods.length) {
      picker.append(make("option", { value: "", textContent: "all dates" }));
      for (const [length, label] of [[4, "years"], [7, "months"]]) {
        const group = make("optgroup", { label });
        const own = data.periods.filter(([period]) => period.length === length);
        own.forEach(([period]) => group.append(make("option", { value: period, textContent: period })));
        if (own.length) picker.append(group);
      }
      picker.addEventListener("change", () => setPeriod(picker.value || null));
      controls.append(make("label", { htmlFor: "period", textContent: "Period" }), picker);
    }
    controls.append(picked, clear);
  };

  all("table.totals, table.sorted").forEach((element) => tables.push(new Table(element)));
  const parts = [
    ...tables,
    ...all(".bars").map((element) => new Bars(element)),
    ...all(".heat").map((element) => new Heat(element)),
    ...all(".time").map((element) => ({ show: columnsOf(element) })),
    ...all(".figures").map((element) => ({ show: figuresOf(element) })),
  ];
  function show() {
    parts.forEach((part) => part.show());
    const values = [...state.values].map(([attribute, value]) => `${attribute}: ${value}`);
    picked.textContent = values.length ? `Only ${values.join(", ")}` : "";
    clear.hidden = state.period === null && !values.length;
  }
  addControls();
  // `#period=2025` behind the name of the file opens it on that year.
  const wanted = new URLSearchParams(location.hash.slice(1)).get("period");
  if (data.periods.some(([period]) => period === wanted)) setPeriod(wanted); else show();
  document.documentElement.classList.remove("loading");
})();
