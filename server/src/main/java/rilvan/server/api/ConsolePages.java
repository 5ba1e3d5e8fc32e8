package rilvan.server.api;

import java.util.List;
import org.springframework.context.annotation.Configuration;
import org.springframework.web.servlet.config.annotation.ViewControllerRegistry;
import org.springframework.web.servlet.config.annotation.WebMvcConfigurer;

/** The console's own addresses all lead to its one page, so that each can be linked to. */
@Configuration
public class ConsolePages implements WebMvcConfigurer {

    /** As the console's own router has them; {@code *} stands for a name. */
    static final List<String> ALL = List.of("/", "/devices", "/devices/*", "/installation", "/map", "/services", "/services/*", "/orders", "/orders/*", "/order", "/sign-in");

    @Override
    public void addViewControllers(ViewControllerRegistry pages) {
        for (String page : ALL) {
            pages.addViewController(page).setViewName("forward:/index.html");
        }
    }
}
