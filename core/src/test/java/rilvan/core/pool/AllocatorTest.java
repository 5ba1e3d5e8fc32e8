package rilvan.core.pool;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import rilvan.core.Shipped;
import rilvan.core.address.Prefix;
import rilvan.core.network.Network;
import rilvan.core.plan.InMemoryPlanningSource;
import rilvan.core.pool.Pool.Span;

class AllocatorTest {

    private static final Pool SMALL = new Pool("small", 1, 4, List.of(new Span(2, 2)), new Pool.Text("64500:{}"));

    private final InMemoryPlanningSource numbers = new InMemoryPlanningSource(Shipped.CATALOG, Network.EMPTY, Map.of());
    private final PendingAllocations wanted = new PendingAllocations();
    private final Allocator allocator = new Allocator("here", numbers, wanted);

    @Test
    void theLowestFreeNumberIsGivenUntilNoneIsLeft() {
        List<Long> given = new ArrayList<>();
        for (String key : List.of("a", "b", "c")) {
            given.add(allocator.take(SMALL, "", key));
        }
        assertThat(given).containsExactly(1L, 3L, 4L);
        assertThatThrownBy(() -> allocator.take(SMALL, "", "d")).isInstanceOf(Allocator.NotAvailable.class)
                .hasMessage("the pool small is exhausted: all of its 3 (64500:1 to 64500:4 except 64500:2) are in use");
        // Another place has numbers of its own.
        assertThat(allocator.take(SMALL, "haven-pe1", "d")).isEqualTo(1);
    }

    @Test
    void aChosenNumberIsTakenIfItIsFree() {
        assertThat(allocator.choose(SMALL, List.of(""), "a", "64500:3")).isEqualTo(3);
        Allocator other = new Allocator("there", numbers, wanted);
        assertThatThrownBy(() -> other.choose(SMALL, "", "a", 3)).hasMessage("64500:3 is already in use by here");
        assertThatThrownBy(() -> other.choose(SMALL, "", "a", 2)).hasMessage("64500:2 is reserved; available: 64500:1 to 64500:4 except 64500:2");
        assertThatThrownBy(() -> other.choose(SMALL, "", "a", 9)).hasMessage("64500:9 is not in the pool small; available: 64500:1 to 64500:4 except 64500:2");
        assertThatThrownBy(() -> other.choose(SMALL, List.of("haven-pe1 access-1"), "a", "x")).hasMessageContaining("x is not in the pool small");
    }

    @Test
    void aNumberOfSeveralPlacesIsFreeInAllOfThem() {
        allocator.take(SMALL, "port-2", "taken");
        assertThat(allocator.take(SMALL, List.of("port-1", "port-2", "port-3"), "tag")).isEqualTo(3);
        assertThat(wanted.of("here")).filteredOn(each -> each.number() == 3).extracting(Allocation::within).containsExactly("port-1", "port-2", "port-3");
        Allocator other = new Allocator("there", numbers, wanted);
        assertThat(other.take(SMALL, List.of("port-1", "port-4"), "tag")).isEqualTo(1);
        assertThat(other.take(SMALL, List.of("port-3", "port-2"), "second")).isEqualTo(4);
        assertThatThrownBy(() -> other.take(SMALL, List.of("port-1", "port-2"), "third")).hasMessage("no number of the pool small is free in all of port-1, port-2");
        assertThatThrownBy(() -> other.choose(SMALL, List.of("port-9", "port-2"), "chosen", 3)).hasMessage("64500:3 on port-2 is already in use by here");
    }

    @ParameterizedTest
    @CsvSource(delimiter = '|', value = {
        "110 | 450560", "110/20 | 450580", "untagged | 0", "any | 16773120", "2 | 8192",
    })
    void tagsOfAPortAreNumbers(String text, long number) {
        Pool pool = Pool.ofPort("tags", 2, 4094, List.of(new Span(1002, 1005)));
        assertThat(pool.form().read(text)).contains(number);
        assertThat(pool.write(number)).isEqualTo(text);
        assertThat(pool.has(number)).isTrue();
        assertThat(pool.has(1003L << 12)).isFalse();
        assertThat(pool.has((1003L << 12) + 7)).isFalse();
        assertThat(pool.first()).isEqualTo(2L << 12);
        assertThat(allocator.take(pool, "port", "a")).isEqualTo(2L << 12);
        assertThat(allocator.take(pool, "port", "b")).isEqualTo(3L << 12);
    }

    @ParameterizedTest
    @CsvSource(delimiter = '|', value = {
        "192.0.2.128/25 | 31 | 3 | 192.0.2.134/31", "2001:db8:a::/48 | 127 | 1 | 2001:db8:a::2/127", "0.0.16.0/20 | 32 | 0 | 0.0.16.0/32",
    })
    void prefixesAreCutFromALargerOne(String whole, int length, long number, String prefix) {
        Pool pool = Pool.of("links", Prefix.parse(whole), length);
        assertThat(pool.write(number)).isEqualTo(prefix);
        assertThat(pool.form().read(prefix)).contains(number);
        assertThat(pool.form().read("198.51.100.0/31")).isEmpty();
        assertThat(pool.extent()).isEqualTo("prefixes of length " + length + " in " + whole);
    }

    /** RFC 7432, 7.6: the target that routes of a segment are imported by is made of the six octets after the type. */
    @Test
    void segmentsDifferWhereTheirImportTargetIsMade() {
        Pool pool = rilvan.core.Shipped.SKERRA.pools().get("ethernet-segment");
        assertThat(java.util.stream.LongStream.of(pool.first(), pool.first() + 1, 255, 256, 65_536, pool.to()).mapToObj(pool::write).map(id -> id.substring(3, 20)).distinct())
                .hasSize(6);
    }
}
