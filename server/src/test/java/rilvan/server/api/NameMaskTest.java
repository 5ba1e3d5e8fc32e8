package rilvan.server.api;

import static org.assertj.core.api.Assertions.assertThat;

import java.util.List;
import java.util.Set;
import java.util.stream.Collectors;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

class NameMaskTest {

    private final NameMask mask = new NameMask(List.of("Gannet", "Gannet Cold Stores", "Kelp & \"Sons\""), List.of("haven-pe1"),
            words -> words.stream().filter(Set.of("gannet-cold-stores", "haven-pe1", "step")::contains).collect(Collectors.toSet()));

    @ParameterizedTest
    @CsvSource(delimiter = '|', quoteCharacter = '~', textBlock = """
            110 is in use by gannet-cold-stores           | 110 is in use by another tenant
            gannet-cold-stores-2 and x-gannet-cold-stores | gannet-cold-stores-2 and x-gannet-cold-stores
            Gannet Cold Stores: freezers                  | another tenant: freezers
            Gannet Cold, Gannets, Gannet's                | another tenant Cold, Gannets, another tenant's
            {"text":"Kelp & \\"Sons\\""} or Kelp & "Sons" | {"text":"another tenant"} or another tenant
            event:step data:{"device":"haven-pe1"}        | event:step data:{"device":"haven-pe1"}
            there is no service named 'gannet-cold-stores'; the nearest is gannet-cold-stores | there is no service named 'gannet-cold-stores'; the nearest is another tenant
            there is no tenant named 'Gannet'             | there is no tenant named 'Gannet'
            """)
    void namesThatAreHiddenAreReplacedAndNothingElse(String text, String told) {
        assertThat(mask.learnt(text)).isEqualTo(told);
    }
}
