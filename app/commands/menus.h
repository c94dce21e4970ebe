#pragma once

namespace ilumbra {

class MainWindow;

// The menus of the window, one file each. Commands stand in them in the order in which they are added.

void addFileCommands(MainWindow& window);
void addEditCommands(MainWindow& window);
/// What can be added to the scene, by the kinds that there are.
void addSceneCommands(MainWindow& window);
void addLensCommands(MainWindow& window);
void addLightCommands(MainWindow& window);
void addPlaceCommands(MainWindow& window);
void addPictureCommands(MainWindow& window);
void addWindowCommands(MainWindow& window);
void addHelpCommands(MainWindow& window);

} // namespace ilumbra
