package rilvan.core.model;

import static org.assertj.core.api.Assertions.assertThat;

import dev.cel.common.types.ListType;
import dev.cel.common.types.SimpleType;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import org.junit.jupiter.api.Test;
import rilvan.core.expression.Scope;
import rilvan.core.model.Loop.Element;
import rilvan.core.model.Loop.LoopBindings;
import rilvan.core.model.Loop.Opened;

/** Loops gone through together make what each makes by itself, and walk through what they share once. */
class FusedLoopsTest {

    private static final Opened START = Loop.none(Scope.of(Map.of("sites", ListType.create(SimpleType.STRING), "few", ListType.create(SimpleType.INT))));
    private static final Map<String, Object> VALUES = Map.of("sites", List.of("haven", "olvar", "skarn"), "few", List.of(1L, 2L));

    private record Looped(String what, Loop loop) {}

    private static Loop over(String... texts) {
        return Loop.over(List.of(texts), START).loop();
    }

    private static Loop where(Loop loop, Opened opened, String condition) {
        return loop.then(new Element.Where(opened.inside().compile(condition)));
    }

    private static final Opened EACH = Loop.over(List.of("s in sites"), START);
    private static final List<Looped> ALL = List.of(
            new Looped("site", over("s in sites")),
            new Looped("number of site", over("s in sites", "n in few")),
            new Looped("once", Loop.ONCE),
            new Looped("number", over("n in few")),
            new Looped("pair", over("pair a, b of sites")),
            new Looped("one site", where(EACH.loop(), EACH, "s == 'olvar'")),
            new Looped("number of one site", where(EACH.loop(), EACH, "s == 'olvar'").then(over("n in few").steps().get(0))),
            new Looped("site again", over("s in sites")));

    @Test
    void fusedLoopsGiveWhatEachGivesAloneInTheModelsOrder() {
        List<String> expected = new ArrayList<>();
        LoopBindings bound = LoopBindings.of(VALUES, Map.of(), "");
        ALL.forEach(said -> said.loop().run(bound, each -> expected.add(written(said, each))));
        assertThat(new FusedLoops<>(ALL, Looped::loop).<String>collect(bound, (said, each, made) -> made.accept(written(said, each)))).isEqualTo(expected)
                .hasSize(3 + 6 + 1 + 2 + 3 + 1 + 2 + 3);
    }

    @Test
    void loopsThatBeginAlikeShareTheirRounds() {
        List<String> order = new ArrayList<>();
        new FusedLoops<>(ALL, Looped::loop).collect(LoopBindings.of(VALUES, Map.of(), ""), (said, each, made) -> {
            if (said.what().startsWith("site")) {
                order.add(written(said, each));
            }
        });
        assertThat(order).containsExactly("site haven", "site again haven", "site olvar", "site again olvar", "site skarn", "site again skarn");
    }

    private static String written(Looped said, LoopBindings bound) {
        StringBuilder text = new StringBuilder(said.what());
        said.loop().names().forEach(name -> text.append(' ').append(bound.find(name)));
        return text.toString();
    }
}
