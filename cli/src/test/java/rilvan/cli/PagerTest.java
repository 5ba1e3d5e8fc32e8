package rilvan.cli;

import static org.assertj.core.api.Assertions.assertThat;

import java.util.List;
import java.util.Map;
import org.junit.jupiter.api.Test;

class PagerTest {

    @Test
    void whatComesAllAtOnceIsPagedOnATerminal() {
        assertThat(Pager.of("list", true, Map.of())).contains(List.of("less", "-FRX"));
        assertThat(Pager.of("show", true, Map.of("PAGER", "more -s"))).contains(List.of("sh", "-c", "more -s"));
        assertThat(Pager.of("show", true, Map.of("PAGER", "more", "RILVAN_PAGER", "pages"))).contains(List.of("sh", "-c", "pages"));
        assertThat(Pager.of("list", true, Map.of("PAGER", "more", "RILVAN_PAGER", ""))).as("switched off").isEmpty();
        assertThat(Pager.of("list", false, Map.of())).as("no terminal").isEmpty();
        assertThat(Pager.of("follow", true, Map.of())).as("comes as it happens").isEmpty();
    }
}
