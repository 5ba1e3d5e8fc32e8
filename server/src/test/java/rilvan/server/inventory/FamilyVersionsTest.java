package rilvan.server.inventory;

import static org.assertj.core.api.Assertions.assertThatThrownBy;
import static org.mockito.ArgumentMatchers.any;
import static org.mockito.ArgumentMatchers.anyInt;
import static org.mockito.Mockito.mock;
import static org.mockito.Mockito.never;
import static org.mockito.Mockito.verify;
import static org.mockito.Mockito.when;

import java.util.List;
import java.util.Map;
import org.junit.jupiter.api.Test;
import rilvan.core.catalog.Catalog;
import rilvan.core.dialect.Dialect;
import rilvan.core.model.Vocabulary;
import rilvan.server.library.Library;
import rilvan.server.ops.StartRefused;
import rilvan.server.store.Inventory;

class FamilyVersionsTest {

    private final Inventory inventory = mock(Inventory.class);

    private Library dialectOf(int version) {
        Dialect dialect = mock(Dialect.class);
        when(dialect.name()).thenReturn("quern");
        when(dialect.version()).thenReturn(version);
        Library library = mock(Library.class);
        when(library.catalog()).thenReturn(new Catalog(mock(Vocabulary.class), Map.of(), Map.of("quern", dialect)));
        return library;
    }

    @Test
    void aStoreOfAnotherVersionIsRefusedAndStaysAsItIs() {
        when(inventory.familyVersions()).thenReturn(List.of(new Inventory.FamilyRow("quern", 1), new Inventory.FamilyRow("gone", 4)));
        Library library = dialectOf(2);
        assertThatThrownBy(() -> new FamilyVersions(inventory, library)).isInstanceOf(StartRefused.class)
                .hasMessage("The store holds configurations of the family quern in version 1, but its dialect has version 2.");
        verify(inventory, never()).putFamilyVersion(any(), anyInt());
    }

    @Test
    void theFirstStartKeepsTheVersionOfEachFamily() {
        when(inventory.familyVersions()).thenReturn(List.of());
        new FamilyVersions(inventory, dialectOf(2));
        verify(inventory).putFamilyVersion("quern", 2);
    }
}
