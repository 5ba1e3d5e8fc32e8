package rilvan.server.orders.history;

import static org.assertj.core.api.Assertions.assertThat;

import java.util.ArrayList;
import java.util.Comparator;
import java.util.List;
import java.util.Random;
import org.junit.jupiter.api.Test;
import rilvan.server.store.Inventory.LedgerRow;

class LedgerChangeTest {

    private static List<LedgerRow> ledger(Random random) {
        List<LedgerRow> rows = new ArrayList<>();
        for (int i = 0; i < 20; i++) {
            if (random.nextBoolean()) {
                rows.add(new LedgerRow("haven-pe1", "/node[" + i + "]", "" + random.nextInt(2), random.nextBoolean() ? null : "0", "[]"));
            }
        }
        rows.sort(Comparator.comparing(LedgerRow::path));
        return rows;
    }

    @Test
    void whatIsBetweenTwoLedgersLeadsFromOneToTheOtherAndSaysNothingOfWhatStays() {
        long seed = System.nanoTime();
        Random random = new Random(seed);
        for (int i = 0; i < 200; i++) {
            List<LedgerRow> before = ledger(random);
            List<LedgerRow> after = ledger(random);
            LedgerChange change = LedgerChange.between(before, after);
            assertThat(change.applyTo(before)).as("seed %d", seed).isEqualTo(after);
            assertThat(change.put()).as("seed %d", seed).doesNotContainAnyElementsOf(before);
            assertThat(LedgerChange.between(before, before)).isEqualTo(new LedgerChange(List.of(), List.of()));
        }
    }
}
