// What can be pressed or typed into, is seen, and can't be come to by Tab, although nothing else does the same.
() => [...document.querySelectorAll("a[href], button, input, select, textarea, summary, [data-act], [role=slider], [role=separator]")]
  .filter((each) => each.checkVisibility({ visibilityProperty: true }) && !each.closest("[hidden], .visually-hidden") && !each.disabled)
  .filter((each) => each.tabIndex < 0)
  // a slider's number is the field beside it; the unit is an action of the finder; a menu's items go by arrows
  .filter((each) => !each.matches("input[type=range], .unit, .dropdown-menu *"))
  .map((each) => each.outerHTML.slice(0, 100))
