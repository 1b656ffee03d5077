import { withNotice, type Notice } from "./notices";

const notice = (id: number, text = `message ${id}`): Notice => ({ id, text });
const added = (...notices: Notice[]) =>
  notices.reduce<readonly Notice[]>((before, one) => withNotice(before, one), []).map(({ id }) => id);

test("a message that is there already is said once, as the latest", () => {
  expect(added(notice(1, "full"), notice(2), notice(3, "full"))).toEqual([2, 3]);
});

test("of many messages the latest four stay", () => {
  expect(added(...[1, 2, 3, 4, 5, 6].map((id) => notice(id)))).toEqual([3, 4, 5, 6]);
});
