"""Strands: coroutines that go on the moment their transfer has ended."""

import asyncio
import unittest

from saltpath.engine.loop import Strand, Transfer, run_in_loop


class Strands(unittest.TestCase):
    def test_a_strand_goes_on_at_once_or_gets_what_went_wrong(self):
        async def main(_selector):
            transfer, seen = Transfer(), []

            async def work():
                await transfer
                seen.append("on")
                try:
                    await transfer
                except ConnectionError as problem:
                    seen.append(str(problem))
                return "end"

            strand = Strand(work())
            await asyncio.sleep(0)
            transfer.resume(None)
            self.assertEqual(seen, ["on"])  # at once, not in the loop's next turn
            transfer.resume(ConnectionError("cut"))
            return seen, await strand.done

        self.assertEqual(run_in_loop(main), (["on", "cut"], "end"))

    def test_futures_tasks_and_pauses_can_be_awaited_too(self):
        async def main(_selector):
            async def later(value):
                await asyncio.sleep(0.001)
                return value

            async def work():
                await asyncio.sleep(0)
                await asyncio.sleep(0.001)
                return await asyncio.create_task(later("task"))

            return await Strand(work()).done

        self.assertEqual(run_in_loop(main), "task")

    def test_a_fault_ends_in_the_future(self):
        async def main(_selector):
            async def work():
                raise LookupError("nothing there")

            with self.assertRaises(LookupError):
                await Strand(work()).done

        run_in_loop(main)
